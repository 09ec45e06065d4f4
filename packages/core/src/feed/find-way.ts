import { EARLIEST } from './cursor.js';
import type { Sieve } from './sieve.js';

/**
 * How the posts of a page of a feed are looked for. All find the same posts; they differ in what they cost:
 *
 * - `window`: what each author has between the cursor and a floor that is likely to be below the page. For who follows some.
 * - `sweep`: the newest entries of everybody, kept where the author is one of the feed's.
 * - `probe`: the same, each entry looked up by itself. For who follows so many that they are met soon.
 * - `sieve`: the same, and only those are looked up that pass a {@link Sieve} of the feed's authors, a Bloom filter. Instead of a sweep or probes, where
 *   such a one is remembered.
 * - `heads`: the best post of each author names the only authors that the page can hold. Where nothing is known of a feed.
 *
 * `heads` is right as it is; a page that one of the others does not fill is looked for again.
 */
export type FindWay = 'window' | 'sweep' | 'probe' | 'sieve' | 'heads';

/** Entries that a sweep reads for each author of the feed: so many cost what a window does to ask one of them. */
export const SWEEP_ENTRIES = 8;
/** Where to ask every author costs hardly more than to find out whether a sweep would do. */
const WINDOW_AT_MOST = 100;
/** Where an entry is likelier of the feed than not worth a look-up: a set of so many authors takes longer to make. */
const PROBE_FROM = 1_500;
/** After so many pages by another way the likely one is tried again: the feed may have become livelier. */
const TRY_AGAIN_AFTER = 64;
/** A window is as high as so many pages would be by the pace of the last: posts come in bursts, and an entry too many costs a tenth of an author. */
const PAGES_HIGH = 3;
/** As many entries are looked for at least: where the next one is can hardly be told. */
const LEAST_ENTRIES = 10;
/** A feed that was not read for as long as so many pages of it cover is not read from that far down: their entries cost what the authors do. */
const PAGES_MISSED = 48;

/** The top of a feed as it was read: instants in milliseconds since the epoch. */
interface Top {
  readonly at: number;
  /** Milliseconds of the order for each entry. */
  readonly pace: number;
  readonly readAt: number;
}

/** A way that is remembered: of a sieve, what it stands for. */
type OwnWay = Exclude<FindWay, 'sieve'>;

/** What is remembered of a feed. */
export interface FindHint {
  readonly way: OwnWay;
  /** How many its viewer follows. */
  readonly following: number;
  /** The way that is likely by that. */
  readonly likely: OwnWay;
  /** Pages that were found otherwise, since that failed. */
  readonly otherwise: number;
  /** Milliseconds of the order for each entry of the last page that was whole. */
  readonly pace: number | undefined;
  /** Of the last first page that was whole. */
  readonly top: Top | undefined;
}

/** How a page was found. */
export interface FoundPage {
  /** The way that gave it. */
  readonly used: FindWay;
  /** The ways that had been tried before. */
  readonly failed: readonly FindWay[];
  /** Whether it is whole: more follows. */
  readonly filled: boolean;
  /** How many its viewer follows. */
  readonly following: number;
  /** Where its cursor stood; null for a first page. */
  readonly from: number | null;
  /** How many entries were found. */
  readonly entries: number;
  /** Where the first and the last of them stand. */
  readonly first: number;
  readonly last: number;
  readonly readAt: number;
}

/** A way, with where a window ends, and through which sieve is read. */
export type FindStep =
  | { readonly way: Exclude<FindWay, 'window' | 'sieve'> }
  | { readonly way: 'window'; readonly floor: number }
  | { readonly way: 'sieve'; readonly sieve: Sieve };

/** The way that suits who follows so many, as far as that alone tells. */
export function likelyWay(following: number): OwnWay {
  if (following <= WINDOW_AT_MOST) return 'window';
  return following < PROBE_FROM ? 'sweep' : 'probe';
}

/** Whether a page is right as it was found: heads look at every author of the feed, the others give up. */
export const isExhaustive = (way: FindWay): boolean => way === 'heads';

/** The way to go on by after one that gave up. */
export const wayAfter = (failed: FindWay): 'sweep' | 'heads' => (failed === 'probe' ? 'sweep' : 'heads');

/**
 * The way to try first. A sweep of a feed that nobody knows reads as much as its viewer follows, whatever that is.
 * @param from where the cursor stands; null for a first page
 * @param entries how many are looked for
 * @param sieve of the feed's authors, where one is remembered
 */
export function firstStep(
  hint: FindHint | undefined,
  { from, entries, now, sieve }: { from: number | null; entries: number; now: number; sieve?: Sieve | undefined },
): FindStep {
  if (!hint) return { way: 'sweep' };
  if (sieve && (hint.way === 'sweep' || hint.way === 'probe')) return { way: 'sieve', sieve };
  if (hint.way !== 'window') return { way: hint.way };
  const page = Math.max(entries, LEAST_ENTRIES);
  const floor = from === null ? floorOfFirst(hint.top, page, now) : hint.pace && from - PAGES_HIGH * page * hint.pace;
  return floor === undefined ? { way: 'heads' } : { way: 'window', floor: Math.max(EARLIEST, floor) };
}

/** Some pages below where the feed began; what came since is above it, as long as that cannot have become too much. */
function floorOfFirst(top: Top | undefined, page: number, now: number): number | undefined {
  if (!top) return undefined;
  const missed = now - top.readAt - PAGES_MISSED * page * top.pace;
  return top.at - PAGES_HIGH * page * top.pace + Math.max(0, missed);
}

/** What is to be remembered of a feed after one of its pages. */
export function hintAfter(hint: FindHint | undefined, page: FoundPage): FindHint {
  const likely = likelyWay(page.following);
  const known = { following: page.following, likely, ...paceOf(hint, page) };
  // Heads leave it known where a window has to end; a sieve is gone one day, and what it stood for works.
  const worked = page.used === 'heads' ? 'window' : page.used === 'sieve' ? (hint?.way ?? likely) : page.used;
  // Through a sieve as many entries are read as by a sweep.
  if (page.failed.includes(likely) || page.failed.includes('sieve')) return { way: worked, otherwise: 0, ...known };
  const otherwise = hint?.likely === likely && hint.way !== likely ? hint.otherwise + 1 : TRY_AGAIN_AFTER;
  return otherwise < TRY_AGAIN_AFTER ? { way: worked, otherwise, ...known } : { way: likely, otherwise: 0, ...known };
}

const LEAST_SPAN_MS = 1_000;

/** How far apart a feed's entries are: told by a page that is whole, the way from its cursor to its first entry counted. */
function paceOf(hint: FindHint | undefined, page: FoundPage): Pick<FindHint, 'pace' | 'top'> {
  // A feed of less than a page has no window that a page would fill.
  if (!page.filled)
    return page.from === null ? { pace: undefined, top: undefined } : { pace: hint?.pace, top: hint?.top };
  const span = Math.max(LEAST_SPAN_MS, (page.from ?? page.first) - page.last);
  const pace = span / Math.max(1, page.entries - 1);
  return { pace, top: page.from === null ? { at: page.first, pace, readAt: page.readAt } : hint?.top };
}
