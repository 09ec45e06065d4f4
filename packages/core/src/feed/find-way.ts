/**
 * How the posts of a page of a feed are looked for. All find the same posts; they differ in what they cost:
 *
 * - `each`: a page of each author, all sorted. For who follows few.
 * - `sweep`: the newest entries of everybody, kept where the author is one of the feed's.
 * - `probe`: the same, each entry looked up by itself. For who follows so many that they are met soon.
 * - `heads`: the best post of each author names the only authors that the page can hold. For all others.
 *
 * `sweep` and `probe` give up after so many entries: a page that they do not fill is looked for again by `heads`.
 */
export type FindWay = 'each' | 'sweep' | 'probe' | 'heads';

/** Entries that a sweep reads for each author of the feed: one costs about a 24th of what a head does. */
export const SWEEP_ENTRIES = 24;
/** Where a page of each author costs less than the walk that finds one of them. */
const EACH_AT_MOST = 40;
/** Where an entry is likelier of the feed than not worth a look-up: a set of so many authors takes longer to make. */
const PROBE_FROM = 1_500;
/** After so many pages by heads another way is tried again: the feed may have become livelier. */
const TRY_AGAIN_AFTER = 64;

/** What is remembered of a feed. */
export interface FindHint {
  readonly way: FindWay;
  /** Pages that were read by heads since another way failed to fill one. */
  readonly byHeads: number;
}

/** The way that suits who follows so many, as far as that alone tells. */
export function likelyWay(following: number): FindWay {
  if (following <= EACH_AT_MOST) return 'each';
  return following < PROBE_FROM ? 'sweep' : 'probe';
}

/** Whether a page is right as it was found: these look at every author of the feed, the others give up. */
export const isExhaustive = (way: FindWay): boolean => way === 'each' || way === 'heads';

/**
 * What is to be remembered of a feed after one of its pages.
 * @param used the way that was tried first
 * @param filled whether that gave a whole page
 * @param following how many its viewer follows
 */
export function hintAfter(hint: FindHint | undefined, used: FindWay, filled: boolean, following: number): FindHint {
  const way = likelyWay(following);
  if (isExhaustive(way)) return { way, byHeads: 0 };
  if (!isExhaustive(used)) return filled ? { way, byHeads: 0 } : { way: 'heads', byHeads: 0 };
  const byHeads = (hint?.byHeads ?? 0) + 1;
  return byHeads < TRY_AGAIN_AFTER && used === 'heads' ? { way: 'heads', byHeads } : { way, byHeads: 0 };
}
