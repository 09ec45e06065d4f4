import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { FIRST_WEIGHTING, lift } from '../feed/lane-time.js';
import { drawOf, tierOf, toDraw } from './draw.js';

const NOW = Date.UTC(2026, 5, 1);
const DAY = 86_400_000;
const TIERS = [
  { name: 'high', from: 3 },
  { name: 'low', from: -1 },
  { name: 'middle', from: 1 },
];
const people = fc.record({ comment: fc.nat(1000), like: fc.nat(1000), dislike: fc.nat(1000) });

describe('what an author drew', () => {
  test('is nothing without posts, and what lifts a post where it is the only one, made now', () => {
    expect(drawOf(FIRST_WEIGHTING, [], NOW)).toBe(0);
    fc.assert(
      fc.property(people, (acted) => {
        expect(drawOf(FIRST_WEIGHTING, [{ createdAt: NOW, people: acted }], NOW)).toBeCloseTo(
          lift(FIRST_WEIGHTING, acted),
          10,
        );
      }),
    );
  });

  test('halves with every 42 hours of age, and ends after seven days', () => {
    const of = (age: number, like: number) =>
      drawOf(FIRST_WEIGHTING, [{ createdAt: NOW - age, people: { like } }], NOW);
    expect(of(1.75 * DAY, 8)).toBeCloseTo(of(0, 4), 10);
    expect(of(3.5 * DAY, 8)).toBeCloseTo(of(0, 2), 10);
    expect(of(7 * DAY, 1_000_000)).toBe(0);
    expect(of(7 * DAY - 1, 1_000_000)).toBeGreaterThan(0);
    // One that an import dates a moment ahead draws as one made now.
    expect(of(-1000, 4)).toBe(of(0, 4));
  });

  test('grows with every act for, falls with every one against, whatever the posts', () => {
    const post = fc.record({ createdAt: fc.integer({ min: NOW - 8 * DAY, max: NOW }), people });
    fc.assert(
      fc.property(fc.array(post, { maxLength: 20 }), fc.constantFrom('like', 'dislike'), (posts, kind) => {
        const [before, after] = [posts, [...posts, { createdAt: NOW, people: { [kind]: 1 } }]].map((all) =>
          drawOf(FIRST_WEIGHTING, all, NOW),
        );
        expect(Math.sign(after! - before!)).toBe(kind === 'like' ? 1 : -1);
      }),
    );
  });

  test('has the highest tier that has begun, in whatever order they are named', () => {
    expect([-5, -1, 0.99, 1, 3, 99].map((draw) => tierOf(draw, TIERS))).toEqual([
      'low',
      'low',
      'low',
      'middle',
      'high',
      'high',
    ]);
    expect(toDraw(1.2345, TIERS)).toEqual({ value: 1.23, tier: 'middle' });
  });
});
