import { describe, expect, it } from '@jest/globals';
import { EventEmitter, once } from 'node:events';
import { AsyncLocalStorage } from 'node:async_hooks';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { makePromiseContext } from './promise-context.js';

describe.each([
  ['carried by promises', makePromiseContext<string>],
  ['carried by Node', () => new AsyncLocalStorage<string>()],
])('a context %s', (_, make) => {
  const context = make();

  /** Waits in several ways, and says what it found after each. */
  async function steps(depth = 2): Promise<(string | undefined)[]> {
    const found = [context.getStore()];
    await null;
    found.push(context.getStore());
    await nextTurn();
    found.push(context.getStore());
    const told = new EventEmitter();
    setImmediate(() => told.emit('done'));
    await once(told, 'done');
    found.push(context.getStore());
    await Promise.reject(new Error('thrown on purpose')).catch(() => found.push(context.getStore()));
    for await (const _n of counting()) found.push(context.getStore());
    return depth === 0 ? found : [...found, ...(await Promise.all([steps(depth - 1), nextTurn()]))[0]];
  }

  async function* counting(): AsyncGenerator<number> {
    for (let n = 0; n < 2; n++) {
      await nextTurn();
      yield n;
    }
  }

  it('finds the value in each step of what is awaited, of many at once', async () => {
    const names = Array.from({ length: 20 }, (_n, i) => `call ${i}`);
    const found = await Promise.all(names.map((name) => context.run(name, () => steps())));
    for (const [i, each] of found.entries()) expect(new Set(each)).toEqual(new Set([names[i]]));
    expect(found[0]).toHaveLength(21);
  });

  it('finds none outside, before, beside and after', async () => {
    expect(context.getStore()).toBeUndefined();
    const beside = steps();
    const within = context.run('a call', () => steps());
    expect(context.getStore()).toBeUndefined();
    await within;
    expect(context.getStore()).toBeUndefined();
    expect(new Set(await beside)).toEqual(new Set([undefined]));
  });

  it('gives way to one within it, and comes back, after an error too', async () => {
    await context.run('outer', async () => {
      await context.run('inner', async () => {
        await nextTurn();
        expect(context.getStore()).toBe('inner');
      });
      expect(context.getStore()).toBe('outer');
      const fails = (): never => {
        throw new Error('thrown on purpose');
      };
      expect(() => context.run('inner', fails)).toThrow('thrown on purpose');
      expect(context.getStore()).toBe('outer');
      await expect(context.run('inner', () => nextTurn().then(fails))).rejects.toThrow('thrown on purpose');
      expect(context.getStore()).toBe('outer');
    });
    expect(context.getStore()).toBeUndefined();
  });
});

it('carries several contexts beside each other', async () => {
  const [one, other] = [makePromiseContext<string>(), makePromiseContext<string>()];
  const found = await one.run('one', () =>
    other.run('other', async () => {
      await nextTurn();
      return [one.getStore(), other.getStore()];
    }),
  );
  expect(found).toEqual(['one', 'other']);
});
