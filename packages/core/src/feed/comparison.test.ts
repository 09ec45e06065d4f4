import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { comparePages, greatestLift, meanChange, placeAll, rankCorrelation, type Candidate } from './comparison.js';
import { FIRST_WEIGHTING, lift, type Weighting } from './lane-time.js';

const HOUR = 3_600_000;
const post = (id: string, hoursAgo: number, likes: number, authorId = id): Candidate => ({
  id,
  authorId,
  createdAt: -hoursAgo * HOUR,
  counts: { commentPeople: 0, reactions: likes > 0 ? { like: likes } : {}, authorReaction: null },
});

describe('the order under a weighting', () => {
  test('is by lane time, then by id, both descending', () => {
    // (4 + 12) / 4 is two doublings: sixteen hours.
    const placed = placeAll([post('a', 1, 0), post('b', 16, 12), post('c', 1, 0), post('d', 20, 12)], FIRST_WEIGHTING);
    expect(placed.map(({ id }) => id)).toEqual(['b', 'c', 'a', 'd']);
    expect(placed[0]).toMatchObject({ lift: 2, laneTime: 0 });
  });

  test('no post is carried further than the greatest lift', () => {
    const weights = fc.record({
      comment: fc.integer({ min: -5_000, max: 5_000 }),
      like: fc.integer({ min: -5_000, max: 5_000 }),
    });
    const people = (most: number) => fc.record({ comment: fc.nat(most), like: fc.nat(most) });
    fc.assert(
      fc.property(weights, people(1_000), fc.integer({ min: 1, max: 9_000 }), (w, acted, base) => {
        const weighting: Weighting = { halfLifeMs: HOUR, base, weights: w };
        expect(lift(weighting, acted)).toBeLessThanOrEqual(greatestLift(weighting, 1_000) + 1e-12);
      }),
    );
  });
});

describe('rank correlation', () => {
  test('is 1 for the same order, −1 for the opposite, and known for a textbook case', () => {
    expect(rankCorrelation(['a', 'b', 'c'], ['a', 'b', 'c'])).toBeCloseTo(1, 12);
    expect(rankCorrelation(['a', 'b', 'c'], ['c', 'b', 'a'])).toBeCloseTo(-1, 12);
    // 1 − 6 Σd² / n(n² − 1) with d² = 0, 1, 1, 0 of four.
    expect(rankCorrelation(['a', 'b', 'c', 'd'], ['a', 'c', 'b', 'd'])).toBeCloseTo(0.8, 12);
    expect(rankCorrelation([], [])).toBe(1);
  });

  test('lies between −1 and 1, and does not depend on which list comes first', () => {
    const list = fc.uniqueArray(fc.constantFrom(...'abcdefghij'), { maxLength: 10 });
    fc.assert(
      fc.property(list, list, (a, b) => {
        const rho = rankCorrelation(a, b);
        expect(Math.abs(rho)).toBeLessThanOrEqual(1 + 1e-9);
        expect(rankCorrelation(b, a)).toBeCloseTo(rho, 9);
      }),
    );
  });
});

describe('two first pages', () => {
  const now = placeAll([post('a', 1, 0, 'x'), post('b', 3, 0, 'x'), post('c', 5, 0, 'y')], FIRST_WEIGHTING);
  const then = placeAll([post('a', 1, 0, 'x'), post('c', 5, 0, 'y'), post('z', 9, 0, 'z')], FIRST_WEIGHTING);

  test('are compared by what stayed, how old it is and whose it is', () => {
    expect(comparePages(now, then, 4, 0)).toMatchObject({
      kept: 2 / 3,
      now: { medianAgeMs: 3 * HOUR, authorsSeen: 0.5 },
      then: { medianAgeMs: 5 * HOUR, authorsSeen: 0.75 },
    });
    expect(comparePages([], [], 0, 0)).toEqual({
      correlation: 1,
      kept: 1,
      now: { medianAgeMs: null, authorsSeen: 0 },
      then: { medianAgeMs: null, authorsSeen: 0 },
    });
  });

  test('of several viewers are averaged, empty ones left out of the ages', () => {
    const [one, none] = [comparePages(now, now, 2, 0), comparePages([], [], 0, 0)];
    expect(meanChange([one, none])).toMatchObject({
      correlation: 1,
      kept: 1,
      now: { medianAgeMs: 3 * HOUR, authorsSeen: 0.5 },
    });
    expect(meanChange([])).toBeNull();
  });
});
