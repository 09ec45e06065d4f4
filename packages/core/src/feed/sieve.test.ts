import { describe, expect, test } from '@jest/globals';
import { firstStep, hintAfter, wayAfter, type FoundPage } from './find-way.js';
import {
  isSieveDue,
  makeSieve,
  placesOf,
  sieveAfter,
  sieveOf,
  withSieve,
  type Sieve,
  type SieveHint,
} from './sieve.js';

/** Numbers of 32 bits with a sign, the same each time. */
function hashes(count: number, seed: number): number[] {
  let state = seed;
  return Array.from(
    { length: count },
    () => (state = (Math.imul(state ^ (state >>> 15), 0x2c1b3c6d) + 0x9e3779b9) | 0),
  );
}
const passes = ({ bits, mask }: Sieve, hash: number): boolean =>
  placesOf(hash, mask).every((place) => (bits[place >> 3]! & (1 << (place & 7))) !== 0);

describe('a sieve', () => {
  test.each([0, 1, 40, 1_000, 5_000, 10_000])('lets all of %s authors pass, and is no larger than 8 kB', (count) => {
    const authors = hashes(count, 7);
    const sieve = makeSieve(authors, 'a state');
    expect(authors.filter((hash) => !passes(sieve, hash))).toEqual([]);
    expect(sieve.bits.length).toBeLessThanOrEqual(8_192);
    expect([sieve.bits.length * 8, sieve.of]).toEqual([sieve.mask + 1, 'a state']);
  });

  test.each([
    [1_000, 0.02],
    [4_000, 0.02],
    [10_000, 0.09],
  ])('of %s authors lets few others pass: at most %s of them', (count, most) => {
    const sieve = makeSieve(hashes(count, 7), '');
    const others = hashes(20_000, 1_234_567);
    const share = others.filter((hash) => passes(sieve, hash)).length / others.length;
    expect(share).toBeLessThan(most);
    expect(makeSieve([], '').bits.some((byte) => byte > 0)).toBe(false);
  });
});

describe('when one is made', () => {
  const NOON = Date.UTC(2026, 5, 1, 12);
  const walked = (state: string, sieved = false, following = 1_000) => ({ state, sieved, following });
  const after = (hint: SieveHint | undefined, pages: number, state: string) => {
    let at = hint;
    for (let i = 0; i < pages; i++) at = sieveAfter(at, walked(state));
    return at;
  };
  const made = (hint: SieveHint, state: string, now = NOON) => withSieve(hint, makeSieve([1, 2, 3], state), now);

  test('it is once two pages found the same state, and serves until another is found', () => {
    expect([0, 1, 2].map((pages) => isSieveDue(after(undefined, pages, 'a'), NOON))).toEqual([false, false, true]);
    expect(isSieveDue(sieveAfter(after(undefined, 1, 'a'), walked('b')), NOON)).toBe(false);
    const hint = made(after(undefined, 2, 'a')!, 'a');
    expect([sieveOf(hint, NOON)?.of, isSieveDue(hint, NOON)]).toEqual(['a', false]);
    const served = sieveAfter(hint, walked('a', true));
    expect(sieveOf(served, NOON)?.of).toBe('a');
    expect(sieveOf(sieveAfter(served, walked('b')), NOON)).toBeUndefined();
  });

  test('it is of the state that was read with it, though another was expected', () => {
    const hint = made(after(undefined, 2, 'a')!, 'b');
    expect(sieveOf(sieveAfter(hint, walked('b', true)), NOON)?.of).toBe('b');
  });

  test('it is not for who follows few, and no more for who comes to', () => {
    expect(sieveAfter(undefined, walked('a', false, 200))).toBeUndefined();
    expect(sieveAfter(made(after(undefined, 2, 'a')!, 'a'), walked('b', true, 200))).toBeUndefined();
  });

  test('what changes soon after is waited for twice as long each time, and no longer once one has paid', () => {
    let hint = after(undefined, 2, '0');
    const needed: number[] = [];
    for (let i = 1; i < 9; i++) {
      hint = sieveAfter(made(hint!, String(i - 1)), walked(String(i)));
      let pages = 1;
      for (; !isSieveDue(hint, NOON); pages++) hint = sieveAfter(hint, walked(String(i)));
      needed.push(pages);
    }
    expect(needed).toEqual([4, 8, 16, 32, 64, 64, 64, 64]);
    const dueAfter = (pages: number) => {
      let it = made(hint!, '8');
      for (let i = 0; i < pages; i++) it = sieveAfter(it, walked('8', true))!;
      return isSieveDue(sieveAfter(it, walked('9')), NOON);
    };
    expect([dueAfter(2), dueAfter(3)]).toEqual([false, true]);
  });

  test('it is made anew after ten minutes', () => {
    const hint = made(after(undefined, 2, 'a')!, 'a');
    expect(sieveOf(hint, NOON + 600_000)?.of).toBe('a');
    expect([sieveOf(hint, NOON + 600_001), isSieveDue(hint, NOON + 600_001)]).toEqual([undefined, true]);
  });

  test('it stands for a sweep and for probes, and where it does not fill a page, heads do and then a window', () => {
    const sieve = makeSieve([1], 'a');
    const page = (used: FoundPage['used'], following: number, failed: FoundPage['failed'] = []): FoundPage => ({
      ...{ used, failed, following, filled: true, from: null, entries: 21 },
      ...{ first: NOON, last: NOON - 3_600_000, readAt: NOON },
    });
    const look = { from: null, entries: 21, now: NOON };
    for (const following of [500, 5_000]) {
      const hint = hintAfter(undefined, page('sweep', following));
      expect(firstStep(hint, { ...look, sieve })).toEqual({ way: 'sieve', sieve });
      expect(hintAfter(hint, page('sieve', following)).way).toBe(hint.way);
      expect(wayAfter('sieve')).toBe('heads');
      const sparse = hintAfter(hint, page('heads', following, ['sieve']));
      expect(firstStep(sparse, { ...look, sieve }).way).toBe('window');
    }
    expect(firstStep(hintAfter(undefined, page('heads', 20)), { ...look, sieve }).way).toBe('window');
    expect(firstStep(undefined, { ...look, sieve }).way).toBe('sweep');
  });
});
