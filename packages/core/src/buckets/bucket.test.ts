import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { v7 as uuidv7, validate, version } from 'uuid';
import { BUCKETS, bucketOf, inBucketOf } from './bucket.js';

const id = fc.uuid({ version: 7 });

describe('an id in the bucket of another', () => {
  test('tells that bucket, and is a UUIDv7 of the same instant', () => {
    fc.assert(
      fc.property(id, id, (own, of) => {
        const made = inBucketOf(own, of);
        expect(bucketOf(made)).toBe(bucketOf(of));
        expect([validate(made), version(made), made.slice(0, 33)]).toEqual([true, 7, own.slice(0, 33)]);
        expect(inBucketOf(made, of)).toBe(made);
        expect(inBucketOf(own, own)).toBe(own);
      }),
    );
  });

  test('comes after those that were made before it, and is made once', () => {
    const of = uuidv7();
    const made = Array.from({ length: 5_000 }, () => inBucketOf(uuidv7(), of));
    expect([...made].sort()).toEqual(made);
    expect(new Set(made).size).toBe(made.length);
  });
});

test('ids by chance are in all buckets alike', () => {
  const counts = new Array<number>(BUCKETS).fill(0);
  for (let i = 0; i < 100 * BUCKETS; i++) counts[bucketOf(uuidv7({ seq: i }))]!++;
  // Of a hundred each: fewer than forty or more than two hundred is no chance.
  expect(Math.min(...counts)).toBeGreaterThan(40);
  expect(Math.max(...counts)).toBeLessThan(200);
});
