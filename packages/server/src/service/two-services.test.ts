import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

// Two services on one database, as behind a load balancer: calls go to each in turn.

let one: TestService;
let other: TestService;
let user: Actor;
beforeAll(async () => {
  one = await startTestService();
  other = await startTestService({ on: one.database });
});
afterAll(async () => {
  await other.stop();
  await one.stop();
});

interface Tokens {
  readonly accessToken: string;
  readonly refreshToken: string;
}

describe('signing keys', () => {
  const rotate = (at: TestService, atOnce: boolean) =>
    at.call('POST', '/v1/operator/signing-keys', { as: at.operatorKey, body: { atOnce } });
  const me = async (at: TestService, token: string) => (await at.call('GET', '/v1/me', { as: token })).status;
  const refresh = async (at: TestService, { refreshToken }: Tokens) =>
    (await at.call<Tokens>('POST', '/v1/sessions/refresh', { body: { refreshToken } })).json;
  let tokens: Tokens;
  beforeAll(async () => {
    const account = { handle: 'between_two', email: 'between@gather.example', password: 'one-or-the-other' };
    await one.call('POST', '/v1/users', { body: { ...account, name: 'Between Two' } });
    const { json } = await one.call<Tokens>('POST', '/v1/sessions', {
      body: { login: account.handle, password: account.password },
    });
    tokens = json;
  });

  test('that are given up at one are refused at the other on the very next call, and what either signs then is good at both', async () => {
    // Both have seen the token, and hold what they found.
    for (const at of [one, other, one, other]) expect(await me(at, tokens.accessToken)).toBe(200);
    await rotate(one, true);
    expect([await me(other, tokens.accessToken), await me(one, tokens.accessToken)]).toEqual([401, 401]);
    tokens = await refresh(other, tokens);
    expect([await me(one, tokens.accessToken), await me(other, tokens.accessToken)]).toEqual([200, 200]);
    await rotate(other, true);
    tokens = await refresh(one, tokens);
    expect([await me(other, tokens.accessToken), await me(one, tokens.accessToken)]).toEqual([200, 200]);
  });

  test('that are made at one verify at the other at once, also many at a time', async () => {
    for (const [at, there] of [
      [one, other],
      [other, one],
    ] as const) {
      await rotate(at, false);
      const next = await refresh(at, tokens);
      expect(new Set(await Promise.all(Array.from({ length: 20 }, () => me(there, next.accessToken))))).toEqual(
        new Set([200]),
      );
      tokens = next;
    }
  });

  test('of cursors are the same at both after the first call of somebody who is signed in', async () => {
    user = await one.user();
    for (const body of ['First of the lock', 'Second of the lock'])
      await one.call('POST', '/v1/posts', { as: user, body: { body } });
    const list = async (at: TestService, after?: string) =>
      at.call<{ next: string }>('GET', `/v1/posts?limit=1${after ? `&after=${after}` : ''}`, { as: user });
    expect((await list(other, (await list(one)).json.next)).status).toBe(200);
    await rotate(one, true);
    user = { ...user, token: (await one.user()).token };
    const { next } = (await list(other)).json;
    expect((await list(one, next)).status).toBe(200);
  });
});
