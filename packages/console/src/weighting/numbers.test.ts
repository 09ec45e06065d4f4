import { describe, expect, test } from '@jest/globals';
import { halfLifeAt, isSame, sliderOf } from './numbers';

const HOUR = 3_600_000;

describe('the numbers of a weighting', () => {
  test('a slider of half-lives gives round lengths, and finds the place of each again', () => {
    expect([halfLifeAt(0), halfLifeAt(100)]).toEqual([HOUR / 4, 720 * HOUR]);
    for (let place = 0; place <= 100; place++) {
      const ms = halfLifeAt(place);
      expect(ms % (HOUR / 12)).toBe(0);
      expect(Math.abs(sliderOf(ms) - place)).toBeLessThan(2.5);
    }
  });

  test('a kind without a weight weighs nothing', () => {
    const numbers = { halfLifeMs: 1, base: 1, weights: { like: 1 } };
    expect(isSame(numbers, { ...numbers, weights: { like: 1, wave: 0 } })).toBe(true);
    expect(isSame(numbers, { ...numbers, weights: { like: 1, wave: 2 } })).toBe(false);
  });
});
