import { describe, expect, test } from '@jest/globals';
import { expected, faultOf, ROLES, type Asked, type Expectation } from './expect.js';

const row = (rule: Parameters<typeof expected>[0], names: Parameters<typeof expected>[2] = null) =>
  ROLES.map((role): Expectation => expected(rule, role, names));

describe('what each role should meet', () => {
  test.each([
    ['anyone', null, ['let-in', 'let-in', 'let-in', 'let-in', 'let-in', 'wrong-principal']],
    ['anyone', 'post', ['not-found', 'let-in', 'not-found', 'let-in', 'let-in', 'wrong-principal']],
    ['signed-in', 'user', ['not-signed-in', 'let-in', 'not-found', 'let-in', 'let-in', 'wrong-principal']],
    [
      'moderator',
      'post',
      ['not-signed-in', 'moderators-only', 'moderators-only', 'moderators-only', 'let-in', 'wrong-principal'],
    ],
    ['owner of post', null, ['not-signed-in', 'not-yours', 'not-found', 'let-in', 'not-yours', 'wrong-principal']],
    [
      'owner or moderator of post',
      null,
      ['not-signed-in', 'not-yours', 'not-found', 'let-in', 'let-in', 'wrong-principal'],
    ],
    [
      'owner or moderator of removed post',
      null,
      ['not-signed-in', 'not-found', 'not-found', 'let-in', 'not-found', 'wrong-principal'],
    ],
    ['owner of upload', null, ['not-signed-in', 'not-yours', 'not-yours', 'let-in', 'not-yours', 'wrong-principal']],
    [
      'operator',
      'user',
      ['not-signed-in', 'wrong-principal', 'wrong-principal', 'wrong-principal', 'wrong-principal', 'let-in'],
    ],
  ] as const)('%s, naming %s', (rule, names, all) => expect(row(rule, names)).toEqual(all));
});

describe('what is a fault', () => {
  const asked = (more: Partial<Asked>): Asked => ({
    expected: 'not-yours',
    role: 'another',
    changes: true,
    fine: [],
    ...more,
  });
  const happened = (status: number, problem: string | null, kept = true) => ({
    outcome: status < 400 ? ('done' as const) : status < 500 ? ('refused' as const) : ('failed' as const),
    told: [status, problem ?? []].flat().join(' '),
    problem,
    kept,
  });

  test('a changed row is one, whatever was answered', () => {
    expect(faultOf(asked({}), happened(403, 'not-yours', false))).toMatch(/changed what is the owner’s, as another/);
    expect(faultOf(asked({ expected: 'let-in' }), happened(200, null, false))).toMatch(/changed/);
    expect(faultOf(asked({ expected: 'let-in', role: 'owner', changes: false }), happened(200, null, false))).toMatch(
      /changed/,
    );
    expect(faultOf(asked({ expected: 'let-in', role: 'owner' }), happened(200, null, false))).toBeNull();
  });

  test('the reason counts, not the status alone', () => {
    expect(faultOf(asked({}), happened(403, 'not-yours'))).toBeNull();
    expect(faultOf(asked({}), happened(403, 'wrong-principal'))).toMatch(/instead of not-yours/);
    expect(faultOf(asked({}), happened(204, null))).toMatch(/let them in with 204/);
    expect(faultOf(asked({}), happened(500, 'internal'))).toMatch(/500/);
  });

  test('who is let in may meet what lies beyond the doorway, but not a doorway', () => {
    const letIn = asked({ expected: 'let-in', role: 'owner' });
    for (const [status, problem] of [
      [422, 'invalid'],
      [409, 'taken'],
      [200, null],
    ] as const)
      expect(faultOf(letIn, happened(status, problem))).toBeNull();
    expect(faultOf(letIn, happened(403, 'not-yours'))).toMatch(/though the rule lets them in/);
    expect(faultOf({ ...letIn, fine: ['not-signed-in'] }, happened(401, 'not-signed-in'))).toBeNull();
    expect(faultOf(letIn, happened(404, 'not-found'))).toMatch(/though/);
  });
});
