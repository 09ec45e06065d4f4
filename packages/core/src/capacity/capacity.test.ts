import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { ACTS, capacityFor, readCount, type Act, type ActCost, type Demand, type Machine } from './capacity.js';

const nothing: ActCost = { service: 0, primary: 0, standby: 0, log: 0, disk: 0 };
const none = Object.fromEntries(ACTS.map((act) => [act, 0])) as Record<Act, number>;
const costs: Record<Act, ActCost> = {
  pages: { service: 2, primary: 0.5, standby: 1.5, log: 0, disk: 0 },
  posts: { service: 1, primary: 2, standby: 0, log: 4_000, disk: 1_500 },
  comments: { service: 1, primary: 2, standby: 0, log: 3_000, disk: 500 },
  reactions: { service: 0.5, primary: 0.5, standby: 0, log: 1_000, disk: 100 },
  follows: nothing,
};
const machine: Machine = { cores: 10, speed: 1, busyAtMost: 0.5, logPerSecond: 100e6 };
const demand = (perDay: Partial<Record<Act, number>>, peak = 1, keptDays = 1): Demand => ({
  perDay: { ...none, ...perDay },
  peak,
  keptDays,
});
/** So many a day are one a second. */
const ONE_A_SECOND = 86_400;

describe('what a demand takes', () => {
  test('is what each act costs times how often it is done in the busiest hour', () => {
    const { perSecond, loads, ...rest } = capacityFor(demand({ pages: 1_000 * ONE_A_SECOND }, 2), costs, machine);
    expect(perSecond).toEqual({ ...none, pages: 2_000 });
    // 4 cores of the service, 4 of the primary of which it may be spared 3; 5 are to be used of a machine.
    expect(Object.fromEntries(loads.map(({ what, needed }) => [what, needed]))).toEqual({
      'service': 4,
      'primary, with pages': 4,
      'primary, pages at standbys': 1,
      'log': 0,
    });
    expect(rest).toEqual({ processes: 8, standbys: 0, shards: 1, logPerDay: 0, disk: 0 });
  });

  test('is standbys once one server cannot do all, and further primaries once it cannot write all', () => {
    const pages = (n: number) => capacityFor(demand({ pages: n * ONE_A_SECOND }), costs, machine);
    expect([pages(2_500).standbys, pages(2_501).standbys]).toEqual([0, 1]);
    expect([pages(9_000).standbys, pages(9_000).shards]).toEqual([3, 1]);
    const posts = (n: number) => capacityFor(demand({ posts: n * ONE_A_SECOND }), costs, machine);
    expect([posts(2_500).shards, posts(2_501).shards, posts(6_000).shards]).toEqual([1, 2, 3]);
  });

  test('names first what a machine has too little of', () => {
    const first = (perDay: Partial<Record<Act, number>>, other: Partial<Machine> = {}) =>
      capacityFor(demand(perDay), costs, { ...machine, ...other }).loads[0]!.what;
    expect(first({ posts: ONE_A_SECOND })).toBe('primary, with pages');
    expect(first({ posts: ONE_A_SECOND }, { logPerSecond: 1_000 })).toBe('log');
    expect(first({ reactions: ONE_A_SECOND, comments: 1 }, { logPerSecond: 1e12 })).toMatch(/^(service|primary)/);
  });

  test('is disk for as long as what is made is kept, and log of a day', () => {
    const { logPerDay, disk } = capacityFor(demand({ posts: 1_000, reactions: 5_000 }, 3, 365), costs, machine);
    expect([logPerDay, disk]).toEqual([9_000_000, 365 * 2_000_000]);
  });

  test('never falls where there is more to do, nor rises with a better machine', () => {
    const count = fc.integer({ min: 0, max: 1e9 });
    const perDay = fc.record({ pages: count, posts: count, comments: count, reactions: count, follows: count });
    fc.assert(
      fc.property(
        perDay,
        fc.constantFrom(...ACTS),
        count,
        fc.double({ min: 1, max: 8, noNaN: true }),
        (of, act, more, speed) => {
          const [less, much] = [of, { ...of, [act]: of[act] + more }].map((each) =>
            capacityFor(demand(each), costs, machine),
          );
          const quick = capacityFor(demand(of), costs, { ...machine, speed });
          for (const figure of ['processes', 'standbys', 'shards', 'logPerDay', 'disk'] as const) {
            expect(much![figure]).toBeGreaterThanOrEqual(less![figure]);
            expect(quick[figure]).toBeLessThanOrEqual(less![figure]);
          }
        },
      ),
    );
  });
});

describe('a count', () => {
  test.each([
    ['50M', 50e6],
    ['1.5k', 1_500],
    ['20', 20],
    ['2T', 2e12],
    [' 3G ', 3e9],
  ])('%j is %d', (text, n) => expect(readCount(text)).toBe(n));
  test.each(['', 'many', '-5', '5m', '1e6', '5 M', '0x10', 'NaN', '1,000'])('%j is none', (text) =>
    expect(readCount(text)).toBeNull(),
  );
});
