import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { FIRST_WEIGHTING, laneTime, netOf, peopleOf } from './lane-time.js';
import { explainPlace, sayToPass, toPass } from './place.js';

const at = Date.UTC(2026, 10, 21, 10);
const bram = { own: false, handle: 'bram', since: 0 } as const;

describe('the sentence that explains a place', () => {
  test('says whom one follows, when it was posted, who acted, and where it stands', () => {
    // One commenter: log2(7 / 4) × 8 h = 6 h 28 min 33 s.
    const { sentence, laneTime, lift, parts } = explainPlace(at, FIRST_WEIGHTING, { comment: 1 }, bram);
    expect(sentence).toBe(
      'You follow @bram; posted 21 Nov 10:00 UTC; 1 person commented, which moves it 6 h 28 min ahead, as though posted 21 Nov 16:27 UTC.',
    );
    expect(laneTime - at).toBe(Math.round(8 * 3_600_000 * Math.log2(7 / 4)));
    expect(lift).toBe(0.807);
    expect(parts).toEqual([
      { kind: 'comment', people: 1, weight: 3 },
      { kind: 'like', people: 0, weight: 1 },
      { kind: 'dislike', people: 0, weight: -1 },
    ]);
  });

  test('says so when nobody has acted, and of one’s own post', () => {
    const { sentence } = explainPlace(at, FIRST_WEIGHTING, { comment: 0 }, { own: true });
    expect(sentence).toBe(
      'Your own post; posted 21 Nov 10:00 UTC; nobody but its author has acted on it yet, so it stands at its creation time.',
    );
  });

  test('says when engagement holds a post back, or cancels out', () => {
    const w = { halfLifeMs: 3_600_000, base: 1000, weights: { comment: -1000, wave: 1000 } };
    expect(explainPlace(at, w, { comment: 1 }, bram).sentence).toContain(
      'moves it 1 h back, as though posted 21 Nov 09:00 UTC',
    );
    expect(explainPlace(at, w, { comment: 1, wave: 1 }, bram).sentence).toContain('which cancels out');
  });
});

describe('passing the post above', () => {
  test('takes exactly so many more people: one fewer is not enough', () => {
    const kinds = fc.record({
      halfLifeMs: fc.integer({ min: 3_600_000, max: 10 * 86_400_000 }),
      base: fc.integer({ min: 1_000, max: 10_000 }),
      weights: fc.record({
        comment: fc.integer({ min: 500, max: 5_000 }),
        like: fc.integer({ min: 500, max: 5_000 }),
        dislike: fc.integer({ min: -5_000, max: -500 }),
      }),
    });
    const people = fc.record({ comment: fc.nat(50), like: fc.nat(500), dislike: fc.nat(50) });
    fc.assert(
      fc.property(kinds, people, fc.integer({ min: 0, max: 8 }), (weighting, acted, halfLives) => {
        const at = Date.UTC(2030, 0, 1);
        const target = laneTime(at, weighting, acted) + halfLives * weighting.halfLifeMs;
        for (const { kind, people: more } of toPass(at, weighting, acted, target)) {
          const stands = (n: number) => laneTime(at, weighting, { ...acted, [kind]: acted[kind as 'like'] + n });
          expect(stands(more)).toBeGreaterThan(target);
          if (more > 1) expect(stands(more - 1)).toBeLessThanOrEqual(target);
        }
      }),
    );
  });

  test('is said in words, the easiest way first', () => {
    const ways = toPass(0, FIRST_WEIGHTING, {}, FIRST_WEIGHTING.halfLifeMs);
    expect(sayToPass(ways)).toBe('2 more people who comment, or 5 more people who like it');
    expect(sayToPass(toPass(0, { ...FIRST_WEIGHTING, weights: { dislike: -1_000 } }, {}, 1))).toBe(
      'no number of people would carry it there',
    );
  });
});

describe('who counts', () => {
  test('the author’s own reaction is left out, and the net follows the signs of the weights', () => {
    const counts = { commentPeople: 2, reactions: { like: 3, dislike: 1, wave: 9 }, authorReaction: 'like' };
    expect(peopleOf(counts)).toEqual({ comment: 2, like: 2, dislike: 1, wave: 9 });
    expect(netOf(counts.reactions, FIRST_WEIGHTING.weights)).toBe(2);
  });
});
