import { describe, expect, test } from '@jest/globals';
import { hintAfter, type FindHint, type FindWay } from './find-way.js';
import { newerStep } from './newer-way.js';
import { makeSieve } from './sieve.js';

const sieve = makeSieve([1, 2, 3], 'a state');
/** What is remembered after a page that was found in a way. */
const after = (used: FindWay, following: number, failed: readonly FindWay[] = []): FindHint =>
  hintAfter(undefined, {
    used,
    failed,
    filled: true,
    following,
    from: null,
    entries: 21,
    first: 9,
    last: 1,
    readAt: 9,
  });

describe('what is newer is counted', () => {
  test('among the entries of everybody where nothing is known of a feed, or it is lively', () => {
    expect(newerStep(undefined, undefined)).toEqual({ way: 'walk' });
    expect(newerStep(after('sweep', 200), undefined)).toEqual({ way: 'walk' });
    expect(newerStep(after('probe', 5_000), undefined)).toEqual({ way: 'walk' });
  });

  test('of each author where pages are found by windows, unless these are very many', () => {
    expect(newerStep(after('window', 20), undefined)).toEqual({ way: 'authors' });
    expect(newerStep(after('heads', 300, ['sweep']), undefined)).toEqual({ way: 'authors' });
    expect(newerStep(after('heads', 301, ['sweep']), undefined)).toEqual({ way: 'walk' });
  });

  test('through a sieve where there is one', () => {
    expect(newerStep(after('sweep', 1_000), sieve)).toEqual({ way: 'sieve', sieve });
    expect(newerStep(after('heads', 1_000, ['sweep']), sieve)).toEqual({ way: 'sieve', sieve });
    expect(newerStep(undefined, sieve)).toEqual({ way: 'sieve', sieve });
  });
});
