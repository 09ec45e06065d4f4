import { describe, expect, test } from '@jest/globals';
import { FIRST_WEIGHTING } from './lane-time.js';
import { explainPlace, readDuration } from './place.js';

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
    expect(parts).toEqual([{ kind: 'comment', people: 1, weight: 3 }]);
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

  test('lengths of time read well', () => {
    expect([5_000, 90_000, 3_600_000, 5_400_000, 90_000_000, 86_400_000].map(readDuration)).toEqual([
      '5 s',
      '2 min',
      '1 h',
      '1 h 30 min',
      '1 d 1 h',
      '1 d',
    ]);
  });
});
