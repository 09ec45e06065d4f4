import { describe, expect, test } from '@jest/globals';
import { canOf, decide, isDoorwayRule, ownedKind, type Caller, type DoorwayRule } from './doorway.js';

const nobody: Caller = { kind: 'nobody' };
const owner: Caller = { kind: 'user', id: 'a' };
const other: Caller = { kind: 'user', id: 'b' };
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
    expect(['owner of moon', '', undefined, 'everyone'].some(isDoorwayRule)).toBe(false);
    expect(ownedKind('owner of comment')).toBe('comment');
    expect(ownedKind('signed-in')).toBeNull();
  });

  test('what one may do follows from the same reasoning', () => {
    expect(canOf(owner, 'a')).toEqual({ edit: true, delete: true });
    for (const caller of [other, nobody, operator]) expect(canOf(caller, 'a')).toEqual({ edit: false, delete: false });
  });
});
