import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { hashtagPlan } from './hashtag-plan.js';
import { livelyTime } from './lively.js';
import { placeUnder, type ThreadPlace } from './thread-place.js';

const HOUR = 3_600_000;

describe('how lively a hashtag is', () => {
  test('one person stands at their latest post, twice as many who are as recent one half-life later', () => {
    expect(livelyTime([100 * HOUR], 8 * HOUR)).toBe(100 * HOUR);
    expect(livelyTime([100 * HOUR, 100 * HOUR], 8 * HOUR)).toBe(108 * HOUR);
    expect(livelyTime(Array(8).fill(100 * HOUR) as number[], 8 * HOUR)).toBe(124 * HOUR);
    // A half-life older is worth half.
    expect(livelyTime([100 * HOUR, 92 * HOUR], 8 * HOUR)).toBe(
      Math.floor(100 * HOUR + 8 * HOUR * Math.log2(1.5) + 0.5),
    );
  });

  test('moves with the clock and not otherwise, and nobody who posts makes it less lively', () => {
    const people = fc.array(fc.integer({ min: 0, max: 200 * HOUR }), { minLength: 1, maxLength: 20 });
    fc.assert(
      fc.property(people, fc.integer({ min: 0, max: 200 * HOUR }), (latest, at) => {
        const stood = livelyTime(latest, 8 * HOUR);
        const later = livelyTime(
          latest.map((each) => each + 7 * HOUR),
          8 * HOUR,
        );
        expect(Math.abs(later - stood - 7 * HOUR)).toBeLessThanOrEqual(1);
        expect(livelyTime([...latest, at], 8 * HOUR)).toBeGreaterThanOrEqual(stood);
      }),
    );
  });
});

describe('how a page of a hashtag is found', () => {
  test('one with few posts whole, a rare one by its bounds alone, a frequent one by a walk that shrinks with its number', () => {
    expect(hashtagPlan(42, 2_000_000, 21)).toEqual({ all: true, walk: 0 });
    expect(hashtagPlan(43, 2_000_000, 21)).toEqual({ all: false, walk: 0 });
    expect(hashtagPlan(6_480, 2_000_000, 21)).toEqual({ all: false, walk: 0 });
    expect(hashtagPlan(200_000, 2_000_000, 21)).toEqual({ all: false, walk: 840 });
    expect(hashtagPlan(1_000_000, 2_000_000, 21)).toEqual({ all: false, walk: 168 });
    expect(hashtagPlan(0, 0, 21)).toEqual({ all: true, walk: 0 });
  });
});

test('an answer stands under what it answers, or beside it where that is as deep as may be', () => {
  let at: (ThreadPlace & { id: string }) | null = null;
  const chain: ThreadPlace[] = [];
  for (let i = 0; i < 7; i++) {
    const place: ThreadPlace = placeUnder(at, 2);
    chain.push(place);
    at = { id: `c${i}`, ...place };
  }
  expect(chain.map(({ depth }) => depth)).toEqual([0, 1, 2, 2, 2, 2, 2]);
  expect(chain.map(({ underId }) => underId)).toEqual([null, 'c0', 'c1', 'c1', 'c1', 'c1', 'c1']);
  expect(placeUnder({ id: 'a', underId: null, depth: 0 }, 0)).toEqual({ underId: null, depth: 0 });
});
