import type { FindHint } from './find-way.js';
import type { Sieve } from './sieve.js';

/**
 * How it is counted what stands above a mark in a feed. All count the same; they differ in what they cost:
 *
 * - `authors`: what each author has above it. For who follows some, of whom the next post is many entries of others away.
 * - `sieve`: the entries of everybody above it, those looked up that pass a {@link Sieve}. Where one is remembered; gives up where they are many.
 * - `walk`: the same without one, and right as it is: where they are many it asks each author.
 */
export type NewerWay = 'authors' | 'sieve' | 'walk';

/** A way, with the sieve that is read through. */
export type NewerStep = { readonly way: Exclude<NewerWay, 'sieve'> } | { readonly way: 'sieve'; readonly sieve: Sieve };

/** Where to ask every author in one scan costs what a walk to the next post of a sparse feed does. */
const AUTHORS_AT_MOST = 300;

/**
 * The way to try first.
 * @param hint what is remembered of the feed's pages
 * @param sieve of the feed's authors, where one is remembered
 */
export function newerStep(hint: FindHint | undefined, sieve: Sieve | undefined): NewerStep {
  if (hint?.way === 'window' && hint.following <= AUTHORS_AT_MOST) return { way: 'authors' };
  return sieve ? { way: 'sieve', sieve } : { way: 'walk' };
}
