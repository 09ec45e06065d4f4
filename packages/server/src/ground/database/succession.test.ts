import { describe, expect, test } from '@jest/globals';
import { signal, Succession } from './succession.js';

/** Lets everything that can go on go on. */
const settled = () => new Promise((resolve) => setImmediate(resolve));

describe('transactions that end one after the other', () => {
  /** Each says what it does, and goes on when it is let. */
  function three() {
    const [said, batches] = [[] as string[], new Succession()];
    const gates = [0, 1, 2].map(() => ({ own: signal(), shared: signal() }));
    for (const [i, gate] of gates.entries())
      batches.begin(async ({ preceding, own }) => {
        await own(() => (said.push(`${i} own`), gate.own.given));
        await preceding;
        said.push(`${i} shared`);
        await gate.shared.given;
        said.push(`${i} ended`);
      });
    return { said, batches, gates };
  }

  test('do what is of their own beside the one before, but one after the other, and the rest once that has ended', async () => {
    const { said, batches, gates } = three();
    await settled();
    expect(said).toEqual(['0 own']);
    gates[0]!.own.give();
    await settled();
    expect(said.slice(1).sort()).toEqual(['0 shared', '1 own']);
    gates[1]!.own.give();
    gates[2]!.own.give();
    await settled();
    expect(said.slice(3)).toEqual(['2 own']);
    gates[2]!.shared.give();
    gates[1]!.shared.give();
    await settled();
    expect(said.slice(4)).toEqual([]);
    gates[0]!.shared.give();
    await batches.ended;
    expect(said.slice(4)).toEqual(['0 ended', '1 shared', '1 ended', '2 shared', '2 ended']);
  });

  test('fail with the first that fails, whatever it was at, and leave nobody waiting', async () => {
    const batches = new Succession();
    const said: string[] = [];
    for (const i of [0, 1, 2])
      batches.begin(async ({ preceding, own }) => {
        await own(() => (i === 1 ? Promise.reject(new Error('the second')) : Promise.resolve()));
        await preceding;
        said.push(`${i} committed`);
      });
    await expect(batches.ended).rejects.toThrow('the second');
    expect(said).toEqual(['0 committed']);
  });
});
