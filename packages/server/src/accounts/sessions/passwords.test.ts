import { describe, expect, jest, test } from '@jest/globals';

// Argon2 itself, counted: how much work a check does is what must not depend on whether the user is known.
const actual = await import('@node-rs/argon2');
let running = 0;
let mostAtOnce = 0;
const counted = <A extends unknown[], R>(work: (...args: A) => Promise<R>) =>
  jest.fn(async (...args: A) => {
    mostAtOnce = Math.max(mostAtOnce, ++running);
    try {
      return await work(...args);
    } finally {
      running--;
    }
  });
const hash = counted(actual.hash);
const verify = counted(actual.verify);
jest.unstable_mockModule('@node-rs/argon2', () => ({ hash, verify }));
const { hashPassword, isPassword } = await import('./passwords.js');

describe('passwords', () => {
  // The first, since what nobody's password is compared with is made once.
  test('an unknown user who came while the line was full is refused then, and checked as ever afterwards', async () => {
    const made = await actual.hash('nobody has this password');
    let release = () => undefined as void;
    const gate = new Promise<void>((resolve) => (release = resolve));
    hash.mockImplementation(() => gate.then(() => made));
    const line = Array.from({ length: 202 }, () => hashPassword('in line'));
    await expect(hashPassword('too many')).rejects.toMatchObject({ code: 'busy' });
    const unlucky = isPassword('guess', undefined).catch(() => null);
    release();
    await Promise.all([...line, unlucky]);
    expect(await isPassword('guess', undefined)).toBe(false);
    hash.mockImplementation(counted(actual.hash));
  });

  test('the right one is right, any other is wrong, and nobody’s is always wrong', async () => {
    const stored = await hashPassword('tidewick basin');
    expect(await isPassword('tidewick basin', stored)).toBe(true);
    expect(await isPassword('tidewick basin ', stored)).toBe(false);
    expect(await isPassword('nobody has this password', undefined)).toBe(false);
  });

  test('an unknown user costs a whole check too, against a hash of the same cost', async () => {
    const stored = await hashPassword('tidewick basin');
    verify.mockClear();
    await isPassword('guess', undefined);
    await isPassword('guess', stored);
    const costs = verify.mock.calls.map(([against]) => (against as string).split('$').slice(1, 4));
    expect(costs).toHaveLength(2);
    expect(costs[0]).toEqual(costs[1]);
  });

  test('at most two are worked on at once', async () => {
    mostAtOnce = 0;
    await Promise.all(Array.from({ length: 6 }, (_, i) => hashPassword(`password ${i}`)));
    expect(mostAtOnce).toBe(2);
  });
});
