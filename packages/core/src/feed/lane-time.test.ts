import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { FIRST_WEIGHTING, isUntouched, laneParts, laneTime, lift, type Weighting } from './lane-time.js';

const weighting = fc.record({
  halfLifeMs: fc.integer({ min: 60_000, max: 30 * 86_400_000 }),
  base: fc.integer({ min: 1, max: 100_000 }),
  weights: fc.dictionary(fc.constantFrom('comment', 'like', 'dislike'), fc.integer({ min: -10_000, max: 10_000 })),
});
const people = fc.dictionary(fc.constantFrom('comment', 'like', 'dislike'), fc.integer({ min: 0, max: 1_000_000 }));
const instant = fc.integer({ min: Date.UTC(2000, 0, 1), max: Date.UTC(2100, 0, 1) });

describe('lane time', () => {
  test('a post without engagement stands at its creation time', () => {
    fc.assert(fc.property(weighting, instant, (w, at) => expect(laneTime(at, w, {})).toBe(at)));
    const counts = { commentPeople: 0, reactions: {}, authorReaction: null };
    expect(isUntouched(counts)).toBe(true);
    expect(
      [{ commentPeople: 1 }, { reactions: { like: 1 } }].map((more) => isUntouched({ ...counts, ...more })),
    ).toEqual([false, false]);
  });

  test('doubling base + P moves a post by exactly one half-life', () => {
    fc.assert(
      fc.property(
        instant,
        fc.integer({ min: 60_000, max: 1e9 }),
        fc.integer({ min: 1, max: 20 }),
        (at, halfLifeMs, doublings) => {
          // base 1 and weight 1 (thousandths): n people make base + P = 1 + n.
          const w: Weighting = { halfLifeMs, base: 1, weights: { like: 1 } };
          expect(laneTime(at, w, { like: 2 ** doublings - 1 })).toBe(at + doublings * halfLifeMs);
        },
      ),
    );
  });

  test('doubling base + N costs exactly one half-life', () => {
    fc.assert(
      fc.property(
        instant,
        fc.integer({ min: 60_000, max: 1e9 }),
        fc.integer({ min: 1, max: 20 }),
        (at, halfLifeMs, doublings) => {
          const w: Weighting = { halfLifeMs, base: 1, weights: { dislike: -1 } };
          expect(laneTime(at, w, { dislike: 2 ** doublings - 1 })).toBe(at - doublings * halfLifeMs);
        },
      ),
    );
  });

  test('the order of two posts does not change when both are moved in time together', () => {
    fc.assert(
      fc.property(
        weighting,
        instant,
        instant,
        people,
        people,
        fc.integer({ min: 0, max: 1e12 }),
        (w, a, b, pa, pb, passed) => {
          const before = Math.sign(laneTime(a, w, pa) - laneTime(b, w, pb));
          expect(Math.sign(laneTime(a + passed, w, pa) - laneTime(b + passed, w, pb))).toBe(before);
        },
      ),
    );
  });

  test('one more person of a kind with a positive weight never lowers a post', () => {
    fc.assert(
      fc.property(weighting, people, (w, p) => {
        const carrying = Object.keys(w.weights).find((kind) => w.weights[kind]! > 0);
        fc.pre(carrying !== undefined);
        expect(lift(w, { ...p, [carrying!]: (p[carrying!] ?? 0) + 1 })).toBeGreaterThan(lift(w, p));
      }),
    );
  });

  test('the worked example: nine commenters under the first weighting', () => {
    // (4 + 9 × 3) / 4 = 7.75, and log2(7.75) = 2.954…
    expect(lift(FIRST_WEIGHTING, { comment: 9 })).toBeCloseTo(Math.log2(7.75), 12);
    expect(laneTime(0, FIRST_WEIGHTING, { comment: 9 })).toBe(Math.round(8 * 3_600_000 * Math.log2(7.75)));
  });

  test('kinds without a weight count for nothing and are not among the parts', () => {
    const w = { ...FIRST_WEIGHTING, weights: { comment: 3000, wave: 0 } };
    expect(lift(w, { comment: 1, wave: 50, unknown: 50 })).toBe(lift(FIRST_WEIGHTING, { comment: 1 }));
    expect(laneParts(w, { wave: 50 })).toEqual([{ kind: 'comment', people: 0, weight: 3 }]);
  });
});
