import { describe, expect, test } from '@jest/globals';
import { firstStep, hintAfter, isExhaustive, likelyWay, wayAfter, type FindHint, type FoundPage } from './find-way.js';

const NOON = Date.UTC(2026, 5, 1, 12);
const HOUR = 3_600_000;
/** A whole first page that covers an hour up to noon. */
const page = (used: FoundPage['used'], following: number, more: Partial<FoundPage> = {}): FoundPage => ({
  used,
  failed: [],
  filled: true,
  following,
  from: null,
  entries: 22,
  first: NOON,
  last: NOON - HOUR,
  readAt: NOON,
  ...more,
});

describe('the way to find a page', () => {
  test('follows from how many are followed', () => {
    expect([0, 100, 101, 1_499, 1_500, 5_000].map(likelyWay)).toEqual([
      'window',
      'window',
      'sweep',
      'sweep',
      'probe',
      'probe',
    ]);
  });

  test('is a sweep of a feed that nobody knows, and heads where it is not known how far down to look', () => {
    expect(firstStep(undefined, { from: null, entries: 21, now: NOON })).toEqual({ way: 'sweep' });
    const short = hintAfter(undefined, page('heads', 20, { filled: false }));
    expect(firstStep(short, { from: null, entries: 21, now: NOON })).toEqual({ way: 'heads' });
    expect(firstStep(short, { from: NOON, entries: 21, now: NOON })).toEqual({ way: 'heads' });
    const deep = hintAfter(undefined, page('heads', 20, { from: NOON }));
    expect(firstStep(deep, { from: null, entries: 21, now: NOON })).toEqual({ way: 'heads' });
  });

  test('is a window once heads had to give a page, and the likely one again after a while', () => {
    let hint: FindHint = hintAfter(undefined, page('heads', 200, { failed: ['sweep'] }));
    expect(hint.way).toBe('window');
    let pages = 0;
    for (; hint.way === 'window' && pages < 1_000; pages++) hint = hintAfter(hint, page('window', 200));
    expect(hint.way).toBe('sweep');
    expect(pages).toBeGreaterThan(10);
    expect(pages).toBeLessThan(200);
  });

  test('is a sweep for who follows very many where probing failed, and a window where that failed too', () => {
    expect(wayAfter('probe')).toBe('sweep');
    expect((['sweep', 'window'] as const).map(wayAfter)).toEqual(['heads', 'heads']);
    const probing = hintAfter(undefined, page('sweep', 5_000));
    expect(probing.way).toBe('probe');
    const sweeping = hintAfter(probing, page('sweep', 5_000, { failed: ['probe'] }));
    expect(sweeping.way).toBe('sweep');
    expect(hintAfter(sweeping, page('sweep', 5_000)).way).toBe('sweep');
    expect(hintAfter(sweeping, page('heads', 5_000, { failed: ['sweep'] })).way).toBe('window');
  });

  test('stays what filled the page', () => {
    expect(hintAfter(undefined, page('sweep', 200)).way).toBe('sweep');
    expect(hintAfter(hintAfter(undefined, page('probe', 5_000)), page('probe', 5_000)).way).toBe('probe');
    expect(hintAfter(hintAfter(undefined, page('heads', 20)), page('heads', 20, { failed: ['window'] })).way).toBe(
      'window',
    );
  });

  test('goes along with who follows more, or fewer', () => {
    expect(hintAfter(hintAfter(undefined, page('sweep', 200)), page('sweep', 12)).way).toBe('window');
    expect(hintAfter(hintAfter(undefined, page('probe', 2_000)), page('probe', 300)).way).toBe('sweep');
    expect(hintAfter(hintAfter(undefined, page('window', 20)), page('window', 3_000)).way).toBe('probe');
    const otherwise = hintAfter(undefined, page('heads', 300, { failed: ['sweep'] }));
    expect(hintAfter(otherwise, page('window', 3_000)).way).toBe('probe');
  });

  test('gives up or not', () => {
    expect((['window', 'sweep', 'probe', 'sieve', 'heads'] as const).filter(isExhaustive)).toEqual(['heads']);
  });
});

describe('the floor of a window', () => {
  const hint = hintAfter(undefined, page('heads', 20));
  const floorOf = (from: number | null, now: number, of = hint, entries = 21) => {
    const step = firstStep(of, { from, entries, now });
    return step.way === 'window' ? Math.round(step.floor) : null;
  };

  test('is below where the first page ended, and stays there while little can have come', () => {
    expect(floorOf(null, NOON)).toBe(NOON - 3 * HOUR);
    expect(floorOf(null, NOON + 48 * HOUR)).toBe(NOON - 3 * HOUR);
  });

  test('goes up with time after that, so that who was away reads no more than the pages that were missed', () => {
    expect(floorOf(null, NOON + 1_000 * HOUR)).toBe(NOON + 949 * HOUR);
  });

  test('is three of the last page below a cursor, the way to its first entry counted', () => {
    expect(floorOf(NOON - 9 * HOUR, NOON)).toBe(NOON - 12 * HOUR);
    const sparse = hintAfter(hint, page('window', 20, { from: NOON + HOUR }));
    expect(floorOf(NOON, NOON, sparse)).toBe(NOON - 6 * HOUR);
    // A page further down says nothing of the first.
    expect(floorOf(null, NOON, sparse)).toBe(NOON - 3 * HOUR);
  });

  test('suits how many are looked for, ten at least', () => {
    expect(floorOf(NOON, NOON, hint, 42)).toBe(NOON - 6 * HOUR);
    expect(floorOf(null, NOON, hint, 42)).toBe(NOON - 6 * HOUR);
    expect(floorOf(NOON, NOON, hint, 1)).toBe(floorOf(NOON, NOON, hint, 10));
  });

  test('is kept over a last page, and not looked for in a feed of less than a page', () => {
    const end = hintAfter(hint, page('heads', 20, { filled: false, from: NOON - 9 * HOUR }));
    expect([floorOf(null, NOON, end), floorOf(NOON, NOON, end)]).toEqual([NOON - 3 * HOUR, NOON - 3 * HOUR]);
    const short = hintAfter(hint, page('heads', 20, { filled: false }));
    expect([floorOf(null, NOON, short), floorOf(NOON, NOON, short)]).toEqual([null, null]);
  });

  test('is no earlier than any instant is', () => {
    const ages = hintAfter(hint, page('heads', 20, { from: NOON, last: Date.UTC(1000, 0, 1) }));
    expect(new Date(floorOf(Date.UTC(1000, 0, 1), NOON, ages)!).toISOString()).toBe('0001-01-01T00:00:00.000Z');
  });

  test('is below the cursor where a whole page stands at one instant', () => {
    const tied = hintAfter(hint, page('heads', 20, { from: NOON, last: NOON }));
    expect(floorOf(NOON, NOON, tied)).toBeLessThan(NOON);
  });
});
