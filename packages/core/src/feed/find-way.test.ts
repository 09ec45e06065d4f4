import { describe, expect, test } from '@jest/globals';
import { hintAfter, isExhaustive, likelyWay, type FindHint } from './find-way.js';

describe('the way to find a page', () => {
  test('follows from how many are followed', () => {
    expect([0, 40, 41, 1_499, 1_500, 5_000].map(likelyWay)).toEqual([
      'each',
      'each',
      'sweep',
      'sweep',
      'probe',
      'probe',
    ]);
  });

  test('is heads once another gave up, and the likely one again after a while', () => {
    let hint: FindHint = hintAfter(undefined, 'sweep', false, 200);
    expect(hint.way).toBe('heads');
    let pages = 0;
    for (; hint.way === 'heads' && pages < 1_000; pages++) hint = hintAfter(hint, 'heads', true, 200);
    expect(hint.way).toBe('sweep');
    expect(pages).toBeGreaterThan(10);
    expect(pages).toBeLessThan(200);
  });

  test('stays what filled the page', () => {
    expect(hintAfter(undefined, 'sweep', true, 200).way).toBe('sweep');
    expect(hintAfter({ way: 'probe', byHeads: 0 }, 'probe', true, 5_000).way).toBe('probe');
  });

  test('goes along with who follows more, or fewer', () => {
    expect(hintAfter({ way: 'sweep', byHeads: 0 }, 'sweep', false, 12).way).toBe('each');
    expect(hintAfter({ way: 'each', byHeads: 0 }, 'each', true, 300).way).toBe('sweep');
    expect(hintAfter({ way: 'sweep', byHeads: 0 }, 'sweep', true, 3_000).way).toBe('probe');
  });

  test('gives up or not', () => {
    expect((['each', 'sweep', 'probe', 'heads'] as const).filter(isExhaustive)).toEqual(['each', 'heads']);
  });
});
