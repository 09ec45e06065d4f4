import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Combiner } from './combiner.js';

interface Act {
  readonly who: string;
  readonly n: number;
}

/** A combiner over a list, with what each batch held. */
function recorder(most = 100, refuse: (act: Act) => boolean = () => false) {
  const batches: Act[][] = [];
  const combiner = new Combiner<Act, string>({
    keyOf: ({ who }) => who,
    most,
    work: async (acts) => {
      await new Promise((resolve) => setImmediate(resolve));
      if (acts.some(refuse)) throw new Error('refused');
      batches.push([...acts]);
      return acts.map(({ who, n }) => `${who} ${n}`);
    },
  });
  return { combiner, batches };
}

describe('combining acts', () => {
  test('an act alone is done at once; those that come meanwhile share the next batch', async () => {
    const { combiner, batches } = recorder();
    const first = combiner.do({ who: 'a', n: 1 });
    await Promise.resolve();
    const rest = Promise.all(['b', 'c', 'd'].map((who) => combiner.do({ who, n: 1 })));
    expect([await first, ...(await rest)]).toEqual(['a 1', 'b 1', 'c 1', 'd 1']);
    expect(batches.map((batch) => batch.length)).toEqual([1, 3]);
  });

  test('one that fails fails alone, and the others of its batch are done', async () => {
    const { combiner, batches } = recorder(100, ({ n }) => n === 3);
    const settled = await Promise.allSettled([1, 2, 3, 4].map((n) => combiner.do({ who: `w${n}`, n })));
    expect(settled.map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled', 'rejected', 'fulfilled']);
    expect(batches.flat().map(({ n }) => n)).toEqual([1, 2, 4]);
  });

  test('every act is done once and answered with its own result; those of one key in order, never two in a batch', async () => {
    const acts = fc.array(fc.record({ who: fc.constantFrom('a', 'b', 'c'), pause: fc.integer({ min: 0, max: 2 }) }), {
      minLength: 1,
      maxLength: 40,
    });
    await fc.assert(
      fc.asyncProperty(acts, fc.integer({ min: 1, max: 5 }), async (list, most) => {
        const { combiner, batches } = recorder(most);
        const results = await Promise.all(
          list.map(async ({ who, pause }, n) => {
            for (let i = 0; i < pause; i++) await new Promise((resolve) => setImmediate(resolve));
            return { n, who, result: await combiner.do({ who, n }) };
          }),
        );
        for (const { n, who, result } of results) expect(result).toBe(`${who} ${n}`);
        expect(
          batches
            .flat()
            .map(({ n }) => n)
            .sort((a, b) => a - b),
        ).toEqual(list.map((_, n) => n));
        for (const batch of batches) {
          expect(batch.length).toBeLessThanOrEqual(most);
          expect(new Set(batch.map(({ who }) => who)).size).toBe(batch.length);
        }
        await combiner.idle();
      }),
      { numRuns: 60 },
    );
  });

  test('a batch of which nobody knows whether it was done is not tried again: all of it hears that', async () => {
    const tried: number[] = [];
    const combiner = new Combiner<Act, string>({
      keyOf: ({ who }) => who,
      most: 10,
      work: (acts) => {
        tried.push(acts.length);
        return Promise.reject(new Error('gone'));
      },
      mayBeOnes: (error) => (error as Error).message !== 'gone',
    });
    const settled = await Promise.allSettled(['a', 'b', 'c'].map((who) => combiner.do({ who, n: 1 })));
    expect(settled.map(({ status }) => status)).toEqual(['rejected', 'rejected', 'rejected']);
    expect(tried).toEqual([3]);
  });
});
