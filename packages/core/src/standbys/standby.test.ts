import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mayReadAt, NOTHING_SEEN, readLogPlace, UNKNOWN_PLACE, type StandbyState } from './standby.js';

const place = fc.bigInt({ min: 0n, max: 2n ** 64n - 1n });
const write = (at: bigint) =>
  `${(at >> 32n).toString(16).toUpperCase()}/${(at & 0xffffffffn).toString(16).toUpperCase()}`;

describe('a place in the log', () => {
  test('is read as it was written', () => {
    fc.assert(fc.property(place, (at) => expect(readLogPlace(write(at))).toBe(at)));
    expect(readLogPlace('16/B374D848')).toBe(0x16b374d848n);
    expect(readLogPlace('0/0')).toBe(NOTHING_SEEN);
  });

  test.each(['', '0', '/', '0/', '/0', '0/0/0', '0/G', '123456789/0', ' 0/0', '-1/0', 'Unknown'])(
    '%j is none',
    (text) => {
      expect(readLogPlace(text)).toBeNull();
    },
  );
});

describe('a standby', () => {
  const state: StandbyState = { inRecovery: true, replayed: 100n, age: 0.2, at: 5_000 };
  const may = (other: Partial<StandbyState>, seen = 100n, now = 5_020) =>
    mayReadAt({ ...state, ...other }, seen, now, 10);

  test('is read from by who has seen no more than it', () => {
    expect([may({}), may({}, NOTHING_SEEN), may({}, 101n)]).toEqual([true, true, false]);
    expect(may({ replayed: 2n ** 64n - 1n }, readLogPlace(UNKNOWN_PLACE)!)).toBe(false);
  });

  test.each([
    ['was promoted', { inRecovery: false }],
    ['is far behind', { age: 10.1 }],
    ['does not know how far it is behind', { age: null }],
    ['has said nothing for a second', { at: 4_019 }],
  ])('that %s is left alone', (_, other) => {
    expect(may(other)).toBe(false);
  });

  test('that cannot be reached is left alone', () => {
    expect(mayReadAt(null, NOTHING_SEEN, 0, 10)).toBe(false);
  });
});
