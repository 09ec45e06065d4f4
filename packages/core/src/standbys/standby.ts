/** What a standby says of itself when it is asked, and when it was. */
export interface StandbyState {
  /** Whether it replays what a primary does: one that was promoted does so no more, and may have lost what it had not replayed. */
  readonly inRecovery: boolean;
  /** How far it has replayed the log, in bytes. */
  readonly replayed: bigint;
  /** How old what it shows is, in seconds; null where it does not know. */
  readonly age: number | null;
  /** When it said so, in milliseconds of a clock that only goes forward. */
  readonly at: number;
}

/** What was said longer ago is taken for nothing, in milliseconds: a server that hangs says no more. */
const GOOD_MS = 1_000;

/** A place in the log of a database: before any of it, and beyond all of it. */
export const NOTHING_SEEN = 0n;
const BEYOND_ALL = 2n ** 64n;
/** How a place is written that is not known: nothing has surely replayed it. */
export const UNKNOWN_PLACE = 'unknown';

const LSN = /^([0-9A-F]{1,8})\/([0-9A-F]{1,8})$/i;

/**
 * Reads how far into the log of the database somebody has seen, as `pg_lsn` writes it; `unknown` is beyond whatever was replayed.
 * @returns null for a text that says no place
 */
export function readLogPlace(text: string): bigint | null {
  if (text === UNKNOWN_PLACE) return BEYOND_ALL;
  const [, high, low] = LSN.exec(text) ?? [];
  return high === undefined ? null : (BigInt(`0x${high}`) << 32n) + BigInt(`0x${low}`);
}

/** The later of two places, as `pg_lsn` writes them. */
export const laterPlace = (one: string, other: string): string =>
  (readLogPlace(one) ?? NOTHING_SEEN) < (readLogPlace(other) ?? NOTHING_SEEN) ? other : one;

/**
 * Whether somebody who has seen the log up to a place may read at a standby: what they did and saw is there, and nothing there is too old.
 * @param state what it said last; null for one that cannot be reached
 * @param now on the clock of `state.at`
 * @param mostAge in seconds
 */
export const mayReadAt = (state: StandbyState | null, seen: bigint, now: number, mostAge: number): boolean =>
  state !== null &&
  state.inRecovery &&
  now - state.at <= GOOD_MS &&
  state.replayed >= seen &&
  state.age !== null &&
  state.age <= mostAge;
