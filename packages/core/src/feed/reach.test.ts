import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { FIRST_WEIGHTING, laneTime, type Weighting } from './lane-time.js';
import { reachOf } from './reach.js';

const MOST = 1_000;
const KINDS = ['comment', 'like', 'dislike'] as const;
const each = (value: fc.Arbitrary<number>) => fc.record({ comment: value, like: value, dislike: value });
const weighting: fc.Arbitrary<Weighting> = fc.record({
  halfLifeMs: fc.integer({ min: 60_000, max: 90 * 86_400_000 }),
  base: fc.integer({ min: 1, max: 100_000 }),
  weights: each(fc.integer({ min: -5_000, max: 5_000 })),
});

describe('how far other numbers can place a post above where it stands', () => {
  test('no post is placed further, whatever the numbers and whoever acted', () => {
    fc.assert(
      fc.property(
        weighting,
        weighting,
        each(fc.nat(MOST)),
        fc.integer({ min: 0, max: 4_102_444_800_000 }),
        (inForce, tried, people, made) => {
          const reach = reachOf(inForce, tried, MOST);
          fc.pre(reach !== null);
          const stands = laneTime(made, inForce, people);
          const from = reach!.orMade ? Math.max(stands, made) : stands;
          expect(laneTime(made, tried, people)).toBeLessThanOrEqual(from + reach!.ms);
        },
      ),
      { numRuns: 2_000 },
    );
  });

  test('the same numbers, and those that only weigh less, place no post higher', () => {
    expect(reachOf(FIRST_WEIGHTING, FIRST_WEIGHTING, MOST)).toEqual({ ms: 2, orMade: false });
    const lighter = { ...FIRST_WEIGHTING, weights: { comment: 1_500, like: 0, dislike: -3_000 } };
    expect(reachOf(FIRST_WEIGHTING, lighter, MOST)).toEqual({ ms: 2, orMade: false });
  });

  test('a weight twice as heavy is worth one half-life at most', () => {
    const heavier = { ...FIRST_WEIGHTING, weights: { ...FIRST_WEIGHTING.weights, comment: 6_000 } };
    expect(reachOf(FIRST_WEIGHTING, heavier, MOST)).toEqual({ ms: FIRST_WEIGHTING.halfLifeMs + 2, orMade: false });
  });

  test.each(KINDS)('there is none where %s counts for a post and did not, or against it no more', (kind) => {
    const without = { ...FIRST_WEIGHTING, weights: { ...FIRST_WEIGHTING.weights, [kind]: 0 } };
    const [from, to] = FIRST_WEIGHTING.weights[kind]! > 0 ? [without, FIRST_WEIGHTING] : [FIRST_WEIGHTING, without];
    expect(reachOf(from, to, MOST)).toBeNull();
    expect(reachOf(to, from, MOST)).not.toBeNull();
  });
});
