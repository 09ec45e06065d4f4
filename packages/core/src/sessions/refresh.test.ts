import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { decideRefresh, REFRESH_GRACE_MS } from './refresh.js';

interface Token {
  readonly parent: number | null;
  usedAt: number | null;
}

/** A session's tokens, as a store keeps them, with a clock of their own. */
class Family {
  readonly tokens: Token[] = [{ parent: null, usedAt: null }];
  now = 0;

  /** @returns the number of the new token, or null when the session is ended */
  refresh(number: number): number | null {
    const token = this.tokens[number]!;
    const state = {
      usedAgoMs: token.usedAt === null ? null : this.now - token.usedAt,
      successorUsed: this.tokens.some(({ parent, usedAt }) => parent === number && usedAt !== null),
    };
    if (decideRefresh(state) === 'stolen') return null;
    token.usedAt ??= this.now;
    return this.tokens.push({ parent: number, usedAt: null }) - 1;
  }
}

describe('a refresh', () => {
  test.each([
    ['never used', null, false, 'renew'],
    ['used within the grace', REFRESH_GRACE_MS, true, 'renew'],
    ['used long ago, its reply lost', 3_600_000, false, 'renew'],
    ['used after the grace, as was its successor', REFRESH_GRACE_MS + 1, true, 'stolen'],
  ] as const)('of a token %s', (_, usedAgoMs, successorUsed, decision) => {
    expect(decideRefresh({ usedAgoMs, successorUsed })).toBe(decision);
  });

  test('of a token that was forgotten is a thief’s', () => expect(decideRefresh(null)).toBe('stolen'));

  test('never ends an honest session, whatever is sent at once, lost, or late', () => {
    // One client that holds a token: each step sends it once or several times at once, waits, and may lose every reply.
    const step = fc.record({
      atOnce: fc.integer({ min: 1, max: 4 }),
      wait: fc.nat(60_000),
      kept: fc.option(fc.nat(3)),
      between: fc.nat(REFRESH_GRACE_MS),
    });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 30 }), (steps) => {
        const family = new Family();
        let held = 0;
        for (const { atOnce, wait, kept, between } of steps) {
          family.now += wait;
          const replies = Array.from({ length: atOnce }, (_, i) => {
            family.now += i === 0 ? 0 : Math.floor(between / atOnce);
            return family.refresh(held);
          });
          expect(replies).not.toContain(null);
          if (kept !== null) held = replies[kept % atOnce]!;
        }
      }),
    );
  });

  test('tells when a thief goes on with what the owner went on with, at the second use of either', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 5 }),
        fc.integer({ min: REFRESH_GRACE_MS + 1, max: 1e9 }),
        (ahead, late) => {
          const family = new Family();
          let held = 0;
          for (let i = 0; i <= ahead; i++) held = family.refresh(held)!;
          family.now += late;
          expect(family.refresh(0)).toBeNull();
        },
      ),
    );
  });
});
