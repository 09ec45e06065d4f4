import { sayDuration, sayInstant } from '@gather-lane/words';
import { laneParts, laneTime, lift, pull, type LanePart, type People, type Weighting } from './lane-time.js';

/** The account of why a post stands where it stands in somebody's feed. */
export interface Place {
  readonly laneTime: number;
  /** In half-lives, rounded to thousandths for reading. */
  readonly lift: number;
  readonly parts: LanePart[];
  readonly sentence: string;
}

/** Whose post it is to the reader: their own, or by somebody whom they follow (since, in ms). */
export type Source = { readonly own: true } | { readonly own: false; readonly handle: string; readonly since: number };

const DEEDS: Record<string, string> = { comment: 'commented', like: 'liked it', dislike: 'disliked it' };

function deed({ kind, people }: LanePart): string {
  return `${people === 1 ? '1 person' : `${people} people`} ${DEEDS[kind] ?? `reacted with ${kind}`}`;
}

/** How many more people of one kind it would take. */
export interface MorePeople {
  readonly kind: string;
  readonly people: number;
}

/** More than this is as good as never. */
const NEVER = 1e9;

/**
 * What would carry a post past another: for each kind of engagement that lifts, how many more people of that kind alone
 * it would take to stand above `target`. Solves the law of lane time for P, then steps over the rounding to the millisecond.
 * @param target the lane time to be passed, in milliseconds
 */
export function toPass(createdAt: number, weighting: Weighting, people: People, target: number): MorePeople[] {
  const { carrying, holding } = pull(weighting, people);
  const { base, halfLifeMs, weights } = weighting;
  const needed = (base + holding) * 2 ** ((target + 1 - createdAt) / halfLifeMs) - base - carrying;
  return Object.entries(weights)
    .filter(([, weight]) => weight > 0)
    .flatMap(([kind, weight]) => {
      let more = Math.max(1, Math.floor(needed / weight) - 1);
      if (!(more < NEVER)) return [];
      const stands = () => laneTime(createdAt, weighting, { ...people, [kind]: (people[kind] ?? 0) + more });
      while (stands() <= target) more++;
      return [{ kind, people: more }];
    })
    .sort((a, b) => a.people - b.people);
}

/** That account in words: `one more comment` and so on, the easiest first. */
export function sayToPass(ways: readonly MorePeople[]): string {
  if (ways.length === 0) return 'no number of people would carry it there';
  return ways
    .map(({ kind, people }) => {
      const [one, many] = WOULD[kind] ?? [`reacts with ${kind}`, `react with ${kind}`];
      return people === 1 ? `1 more person who ${one}` : `${people} more people who ${many}`;
    })
    .join(', or ');
}

const WOULD: Record<string, readonly [one: string, many: string]> = {
  comment: ['comments', 'comment'],
  like: ['likes it', 'like it'],
  dislike: ['dislikes it', 'dislike it'],
};

/** `a`, `a and b`, `a, b and c`. */
const list = (parts: string[]): string =>
  [parts.slice(0, -1).join(', '), ...parts.slice(-1)].filter(Boolean).join(' and ');

/**
 * Why a post stands where it stands, in parts and in one sentence.
 * @param createdAt milliseconds since the epoch
 */
export function explainPlace(createdAt: number, weighting: Weighting, people: People, source: Source): Place {
  const at = laneTime(createdAt, weighting, people);
  const parts = laneParts(weighting, people);
  const moved = at - createdAt;
  const who = source.own ? 'Your own post' : `You follow @${source.handle}`;
  const acted = parts.filter((part) => part.people > 0).map(deed);
  const why =
    moved === 0
      ? acted.length === 0
        ? 'nobody but its author has acted on it yet, so it stands at its creation time'
        : `${list(acted)}, which cancels out, so it stands at its creation time`
      : `${list(acted)}, which moves it ${sayDuration(moved)} ${moved > 0 ? 'ahead' : 'back'}, as though posted ${sayInstant(at)} UTC`;
  return {
    laneTime: at,
    lift: Math.round(lift(weighting, people) * 1000) / 1000,
    parts,
    sentence: `${who}; posted ${sayInstant(createdAt)} UTC; ${why}.`,
  };
}
