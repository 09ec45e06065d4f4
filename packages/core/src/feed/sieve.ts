/**
 * The authors of a feed as bits, a Bloom filter: each has two of them set, told by a hash, so that whoever lacks one is none of them. A few others have both
 * by chance, which a look-up tells; nobody is missed. It is `of` one state of what somebody follows.
 *
 * B. H. Bloom, Space/time trade-offs in hash coding with allowable errors, CACM 13 (1970): with n authors, k = 2 bits each and m bits in all
 * (1 - e^(-kn/m))^k of the others pass, 1.4 % at 16 bits for each.
 */
export interface Sieve {
  readonly bits: Uint8Array;
  /** One less than how many bits there are, a power of two. */
  readonly mask: number;
  readonly of: string;
}

const [BITS_FOR_EACH, LEAST_BITS, MOST_BITS] = [16, 1_024, 65_536];

/** The bits of an author with a 32-bit hash: by its lower half and its upper, as the statement has it that reads through a sieve. */
export const placesOf = (hash: number, mask: number): [number, number] => [hash & mask, (hash >> 16) & mask];

/** A sieve that lets authors pass. @param hashes of 32 bits, with a sign; the bits are counted from the lowest of each byte */
export function makeSieve(hashes: readonly number[], of: string): Sieve {
  const wanted = 2 ** Math.ceil(Math.log2(Math.max(1, hashes.length) * BITS_FOR_EACH));
  const size = Math.min(MOST_BITS, Math.max(LEAST_BITS, wanted));
  const [bits, mask] = [new Uint8Array(size / 8), size - 1];
  for (const hash of hashes) for (const place of placesOf(hash, mask)) bits[place >> 3]! |= 1 << (place & 7);
  return { bits, mask, of };
}

/** From so many follows on it pays: a set of fewer is made at once. */
export const SIEVE_FROM = 300;
/** What somebody follows is to have stayed the same over so many pages before a sieve is made of it. */
const PAGES_BEFORE = 2;
/** What changes again and again is waited for no longer than so many. */
const MOST_PAGES_BEFORE = 64;
/** A sieve that has served as many has paid: another one is made after the first page that shows that it must be. */
const PAID_AFTER = 3;
const PAGES_AGAIN = 1;
/** What was done past the triggers is seen after so long at the latest, in milliseconds. */
const MOST_AGE_MS = 600_000;

/** What is remembered of somebody who follows many. */
export interface SieveHint {
  /** The state of what they follow. */
  readonly state: string;
  /** Pages that were read without a sieve while it was that. */
  readonly pages: number;
  /** How many it takes. */
  readonly needs: number;
  readonly sieve: Sieve | undefined;
  /** When it was made, in milliseconds since the epoch. */
  readonly madeAt: number;
  /** Pages that it served. */
  readonly served: number;
}

/** A page that was found among the entries of everybody. */
export interface WalkedPage {
  /** Whether it was read through the sieve. */
  readonly sieved: boolean;
  readonly following: number;
  /** The state of what its viewer follows, as it was read. */
  readonly state: string;
}

/** What to remember after such a page; undefined where a sieve would be of no use. */
export function sieveAfter(
  hint: SieveHint | undefined,
  { sieved, following, state }: WalkedPage,
): SieveHint | undefined {
  if (following < SIEVE_FROM) return undefined;
  const same = hint?.state === state ? hint : changed(hint, state);
  return sieved ? { ...same, served: same.served + 1 } : { ...same, pages: same.pages + 1 };
}

/** They follow others by now: what changes soon after a sieve was made is waited for longer the next time. */
function changed(hint: SieveHint | undefined, state: string): SieveHint {
  const needs = !hint?.sieve
    ? (hint?.needs ?? PAGES_BEFORE)
    : hint.served >= PAID_AFTER
      ? PAGES_AGAIN
      : Math.min(MOST_PAGES_BEFORE, 2 * hint.needs);
  return { state, pages: 0, needs, sieve: undefined, madeAt: 0, served: 0 };
}

/** The sieve that may be read through; undefined where there is none, or it is too old. */
export const sieveOf = (hint: SieveHint | undefined, now: number): Sieve | undefined =>
  hint?.sieve && now - hint.madeAt <= MOST_AGE_MS ? hint.sieve : undefined;

/** Whether to make one now. */
export const isSieveDue = (hint: SieveHint | undefined, now: number): boolean =>
  hint !== undefined && hint.pages >= hint.needs && !sieveOf(hint, now);

/** What is remembered with a sieve that was just made. */
export const withSieve = (hint: SieveHint, sieve: Sieve, now: number): SieveHint => ({
  ...hint,
  state: sieve.of,
  sieve,
  madeAt: now,
  served: 0,
});
