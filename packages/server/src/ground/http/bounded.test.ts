import { expect, test } from '@jest/globals';
import { bounded } from './bounded.js';

test('work is done some at a time, the line is as long as it says, and who comes after is told to come back', async () => {
  const inTurn = bounded(2, 3);
  const [begun, release]: [number[], (() => void)[]] = [[], []];
  const work = (n: number) =>
    inTurn(() => {
      begun.push(n);
      return new Promise<number>((done) => release.push(() => done(n)));
    });
  const inside = [1, 2, 3, 4, 5].map(work);
  await expect(work(6)).rejects.toMatchObject({ code: 'busy', status: 503, retryAfterSeconds: 2 });
  await Promise.resolve();
  expect(begun).toEqual([1, 2]);
  release.shift()!();
  await inside[0];
  expect(begun).toEqual([1, 2, 3]);
  // There is room again.
  const later = work(7);
  while (begun.length < 6) {
    release.shift()?.();
    await new Promise((resolve) => setImmediate(resolve));
  }
  for (const each of release) each();
  expect(await Promise.all([...inside, later])).toEqual([1, 2, 3, 4, 5, 7]);
});

test('work that fails leaves its place to the next', async () => {
  const inTurn = bounded(1, 1);
  await expect(inTurn(() => Promise.reject(new Error('broken')))).rejects.toThrow('broken');
  await expect(inTurn(() => Promise.resolve('done'))).resolves.toBe('done');
});
