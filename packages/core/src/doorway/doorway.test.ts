import { describe, expect, test } from '@jest/globals';
import { canOf, decide, decideRestore, isDoorwayRule, ownedKind, type Caller, type DoorwayRule } from './doorway.js';

const nobody: Caller = { kind: 'nobody' };
const owner: Caller = { kind: 'user', id: 'a' };
const other: Caller = { kind: 'user', id: 'b' };
const moderator: Caller = { kind: 'user', id: 'm', moderator: true };
const operator: Caller = { kind: 'operator' };
const thing = { ownerId: 'a', version: 3 };

describe('doorway decisions', () => {
  const table: [DoorwayRule, Caller, ReturnType<typeof decide>][] = [
    ['anyone', nobody, null],
    ['anyone', owner, null],
    ['anyone', operator, 'wrong-principal'],
    ['signed-in', nobody, 'not-signed-in'],
    ['signed-in', other, null],
    ['signed-in', operator, 'wrong-principal'],
    ['operator', nobody, 'not-signed-in'],
    ['operator', owner, 'wrong-principal'],
    ['operator', operator, null],
    ['owner of post', nobody, 'not-signed-in'],
    ['owner of post', other, 'not-yours'],
    ['owner of post', owner, null],
    ['owner of post', operator, 'wrong-principal'],
    ['owner of post', moderator, 'not-yours'],
    ['owner or moderator of post', nobody, 'not-signed-in'],
    ['owner or moderator of post', other, 'not-yours'],
    ['owner or moderator of post', owner, null],
    ['owner or moderator of post', moderator, null],
    ['owner or moderator of post', operator, 'wrong-principal'],
    ['moderator', nobody, 'not-signed-in'],
    ['moderator', other, 'moderators-only'],
    ['moderator', moderator, null],
    ['moderator', operator, 'wrong-principal'],
  ];
  test.each(table)('%s for %j: %s', (rule, caller, expected) => expect(decide(rule, caller, thing)).toBe(expected));

  test('reasons come in order: who, whether it is there, whose it is, which version', () => {
    expect(decide('owner of comment', nobody, null, 9)).toBe('not-signed-in');
    expect(decide('owner of comment', other, null, 9)).toBe('not-found');
    expect(decide('owner of comment', other, thing, 9)).toBe('not-yours');
    expect(decide('owner of comment', owner, thing, 9)).toBe('stale');
    expect(decide('owner of comment', owner, thing, 3)).toBeNull();
  });

  test('only rules that can be decided are rules', () => {
    expect(['anyone', 'owner of user'].every(isDoorwayRule)).toBe(true);
    expect(
      ['owner of', 'owner of a thing too many', 'owners of post', '', undefined, 'everyone'].some(isDoorwayRule),
    ).toBe(false);
    expect(ownedKind('owner of comment')).toBe('comment');
    expect(ownedKind('signed-in')).toBeNull();
  });

  test('what one may do follows from the same reasoning', () => {
    expect(canOf(owner, 'a')).toEqual({ edit: true, delete: true, withhold: false });
    expect(canOf(moderator, 'a')).toEqual({ edit: false, delete: true, withhold: true });
    expect(canOf(moderator, 'm')).toEqual({ edit: true, delete: true, withhold: false });
    for (const caller of [other, nobody, operator])
      expect(canOf(caller, 'a')).toEqual({ edit: false, delete: false, withhold: false });
    expect(canOf(owner, null).edit).toBe(false);
  });
});

describe('restoring', () => {
  const now = Date.parse('2026-05-30T12:00:00Z');
  const daysAgo = (days: number) => now - days * 86_400_000;
  test.each([
    ['its owner, what they deleted', owner, 'owner', 29, null],
    ['its owner, too late', owner, 'owner', 31, 'too-late'],
    ['its owner, what a moderator deleted', owner, 'moderator', 1, 'moderators-decision'],
    ['its owner, what is withheld', owner, 'withheld', 1, 'moderators-decision'],
    ['a moderator, what was withheld long ago', moderator, 'withheld', 300, null],
    ['a moderator, what a moderator deleted', moderator, 'moderator', 29, null],
    ['a moderator, too late', moderator, 'moderator', 31, 'too-late'],
    ['a moderator, what its owner deleted', moderator, 'owner', 1, 'owners-decision'],
    ['another', other, 'owner', 1, 'owners-decision'],
  ] as const)('%s', (_, caller, removal, days, expected) =>
    expect(decideRestore(caller, { ownerId: 'a', removal, removedAt: daysAgo(days) }, now)).toBe(expected),
  );
});
