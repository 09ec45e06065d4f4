import { laneParts, laneTime, lift, type LanePart, type People, type Weighting } from './lane-time.js';

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

const DEEDS: Record<string, [one: string, many: string]> = {
  comment: ['commented', 'commented'],
};

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** `21 Nov 16:00 UTC`: an instant as the sentences write it. */
export function readInstant(ms: number): string {
  const t = new Date(ms);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${t.getUTCDate()} ${MONTHS[t.getUTCMonth()]} ${two(t.getUTCHours())}:${two(t.getUTCMinutes())} UTC`;
}

/** `6 h`, `1 h 12 min`, `45 s`: a length of time (its absolute value) as the sentences write it. */
export function readDuration(ms: number): string {
  const seconds = Math.round(Math.abs(ms) / 1000);
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  const days = Math.floor(minutes / 1440);
  const hours = Math.floor((minutes % 1440) / 60);
  const parts = [days && `${days} d`, hours && `${hours} h`, !days && minutes % 60 && `${minutes % 60} min`];
  return parts.filter(Boolean).join(' ');
}

function deed({ kind, people }: LanePart): string {
  const [one, many] = DEEDS[kind] ?? [`acted with ${kind}`, `acted with ${kind}`];
  return people === 1 ? `1 person ${one}` : `${people} people ${many}`;
}

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
        : `${acted.join(' and ')}, which cancels out, so it stands at its creation time`
      : `${acted.join(' and ')}, which moves it ${readDuration(moved)} ${moved > 0 ? 'ahead' : 'back'}, as though posted ${readInstant(at)}`;
  return {
    laneTime: at,
    lift: Math.round(lift(weighting, people) * 1000) / 1000,
    parts,
    sentence: `${who}; posted ${readInstant(createdAt)}; ${why}.`,
  };
}
