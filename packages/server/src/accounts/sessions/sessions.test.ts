import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { DEMO_PASSWORD } from '@gather-lane/core';
import { SignJWT } from 'jose';
import { Type } from 'typebox';
import type { Capability } from '../../ground/capability/capability.js';
import { CAPABILITIES } from '../../service/capabilities.js';
import { endDemoSessions, loadDemo } from '../../workbench/demo/load.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { Sessions } from './service.js';

let service: TestService;
const password = 'narrowboat crew';

/** A route that is to look at the session along with what it reads, and does not. */
const hasty: Capability = {
  name: 'hasty',
  start: () => ({
    routes: async (app) => {
      const schema = { operationId: 'hasty', response: { 200: Type.Unknown() } };
      app.get('/v1/hasty', { config: { doorway: 'signed-in', confirms: true }, schema }, () => ({ told: 'a secret' }));
    },
  }),
};

beforeAll(async () => {
  service = await startTestService({ capabilities: [...CAPABILITIES, hasty] });
  await service.call('POST', '/v1/users', {
    body: { name: 'Odile', handle: 'odile', email: 'odile@cut.example', password },
  });
});
afterAll(() => service.stop());

interface Session {
  accessToken: string;
  refreshToken: string;
  expiresIn: number;
  tokenType: string;
  user: { handle: string };
}
const signIn = async (login = 'odile', secret = password) =>
  service.call<Session>('POST', '/v1/sessions', { body: { login, password: secret } });
const me = async (token: string) => (await service.call('GET', '/v1/me', { as: token })).status;

/** As if what was used so far had been used long enough ago. */
const graceIsOver = () =>
  service.dataSource.query(`UPDATE refresh_tokens SET used_at = used_at - interval '16 seconds'`);

describe('signing in', () => {
  test.each(['odile', '@Odile', 'ODILE', 'odile@cut.example', 'Odile@Cut.Example'])('works as %s', async (login) => {
    const { status, json } = await signIn(login);
    expect(status).toBe(201);
    expect(json).toMatchObject({ tokenType: 'Bearer', expiresIn: 900, user: { handle: 'odile' } });
    expect(await me(json.accessToken)).toBe(200);
  });

  test('an unknown user and a wrong password get the same answer', async () => {
    const [unknown, wrong] = [await signIn('nobody_at_all'), await signIn('odile', 'not the password')];
    expect([unknown.status, wrong.status]).toEqual([401, 401]);
    expect(unknown.json).toEqual(wrong.json);
  });

  test('the password is stored as argon2id and nothing else', async () => {
    const [row] = await service.dataSource.query<{ password_hash: string }[]>(`SELECT password_hash FROM credentials`);
    expect(row!.password_hash).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
  });
});

describe('tokens', () => {
  test('signing out ends the session: its tokens are refused from then on', async () => {
    const { json } = await signIn();
    expect((await service.call('DELETE', '/v1/sessions/current', { as: json.accessToken })).status).toBe(204);
    expect(await me(json.accessToken)).toBe(401);
    expect(
      (await service.call('POST', '/v1/sessions/refresh', { body: { refreshToken: json.refreshToken } })).status,
    ).toBe(401);
  });

  test('a refresh token is good once; used again later it ends the session', async () => {
    const { json: first } = await signIn();
    const refresh = (refreshToken: string) =>
      service.call<Session>('POST', '/v1/sessions/refresh', { body: { refreshToken } });
    const second = await refresh(first.refreshToken);
    expect(second.status).toBe(201);
    const third = await refresh(second.json.refreshToken);
    expect(await me(third.json.accessToken)).toBe(200);
    expect((await refresh(third.json.refreshToken)).status).toBe(201);
    await graceIsOver();
    expect((await refresh(second.json.refreshToken)).status).toBe(401);
    expect(await me(third.json.accessToken)).toBe(401);
  });

  test('tokens that are unsigned, signed by another, expired or no tokens at all are refused', async () => {
    const { json } = await signIn();
    const [header, payload, signature] = json.accessToken.split('.') as [string, string, string];
    const claims = JSON.parse(Buffer.from(payload, 'base64url').toString()) as { sid: string; sub: string };
    const none = [Buffer.from('{"alg":"none","typ":"at+jwt"}').toString('base64url'), payload, ''].join('.');
    const sign = (secret: Uint8Array, expires: string | number) =>
      new SignJWT({ sid: claims.sid })
        .setProtectedHeader({ ...(JSON.parse(Buffer.from(header, 'base64url').toString()) as object), alg: 'HS256' })
        .setSubject(claims.sub)
        .setIssuer('gather-lane')
        .setAudience('gather-lane')
        .setExpirationTime(expires)
        .sign(secret);
    const [{ secret }] = await service.dataSource.query<[{ secret: Buffer }]>(`SELECT secret FROM signing_keys`);
    expect(await me(await sign(secret, '1h'))).toBe(200);
    const bad = [
      none,
      await sign(Buffer.alloc(32, 1), '1h'),
      await sign(secret, 1_000_000),
      `${header}.${payload}.${signature.slice(0, -2)}AA`,
      json.refreshToken,
      'x',
      'a.b.c',
    ];
    for (const token of bad) expect(await me(token)).toBe(401);
  });

  test('a bad token is refused even where none is needed, rather than taken for nobody', async () => {
    expect((await service.call('GET', '/v1/posts', { as: 'not-a-token' })).status).toBe(401);
    expect((await service.call('GET', '/v1/posts', { headers: { authorization: 'Basic b2RpbGU6eA==' } })).status).toBe(
      401,
    );
  });

  test('an expired session is refused', async () => {
    const { json } = await signIn();
    await service.dataSource.query(`UPDATE sessions SET expires_at = clock_timestamp() - interval '1 second'`);
    expect(await me(json.accessToken)).toBe(401);
  });
});

describe('demo credentials', () => {
  test('are accepted by a demo service, refused by any other, and their sessions are ended', async () => {
    const [plain, demo] = [await startTestService(), await startTestService({ demo: true })];
    for (const each of [plain, demo]) await loadDemo(each.dataSource, each.house.config, () => undefined);
    const as = { body: { login: 'odile', password: DEMO_PASSWORD } };
    expect((await demo.call('POST', '/v1/sessions', as)).status).toBe(201);
    expect((await plain.call('POST', '/v1/sessions', as)).status).toBe(401);
    expect(await endDemoSessions(demo.dataSource)).toBe(1);
    await Promise.all([plain.stop(), demo.stop()]);
  });
});

describe('one’s own sessions', () => {
  const put = (token: string, body: object) => service.call('PUT', '/v1/me/password', { as: token, body });
  const list = async (token: string) =>
    (await service.call<{ items: { id: string; current: boolean }[] }>('GET', '/v1/sessions', { as: token })).json
      .items;
  const newcomer = async (handle: string) => {
    await service.call('POST', '/v1/users', {
      body: { name: handle, handle, email: `${handle}@cut.example`, password },
    });
    return Promise.all([1, 2, 3].map(async () => (await signIn(handle)).json.accessToken)) as Promise<
      [string, string, string]
    >;
  };

  test('are listed, and ended one by one, by their owner alone', async () => {
    const [one, two] = await newcomer('lister');
    const sessions = await list(one);
    expect(sessions).toHaveLength(3);
    expect(sessions.filter(({ current }) => current)).toHaveLength(1);
    const other = (await list(two)).find(({ current }) => current)!.id;
    const stranger = (await signIn()).json.accessToken;
    const end = (as?: string) => service.call('DELETE', `/v1/sessions/${other}`, as === undefined ? {} : { as });
    expect([(await end()).status, (await end(stranger)).status, await me(two)]).toEqual([401, 403, 200]);
    expect((await end(one)).status).toBe(204);
    expect([await me(one), await me(two), (await end(one)).status]).toEqual([200, 401, 404]);
    expect(await list(one)).toHaveLength(2);
  });

  test('signing out everywhere ends them all', async () => {
    const tokens = await newcomer('leaver');
    expect((await service.call('DELETE', '/v1/sessions', { as: tokens[1] })).status).toBe(204);
    expect(await Promise.all(tokens.map(me))).toEqual([401, 401, 401]);
    expect(await me((await signIn()).json.accessToken)).toBe(200);
  });

  test('changing the password needs the old one, and ends the others', async () => {
    const [one, two, three] = await newcomer('changer');
    const wrong = await put(one, { current: 'something else', password: 'a longer one' });
    expect([wrong.status, wrong.json.errors]).toEqual([
      422,
      [{ pointer: '/current', detail: 'is not the password of this account' }],
    ]);
    expect((await put(one, { current: password, password: 'short' })).status).toBe(422);
    expect((await put(one, { current: password, password: 'a longer one' })).status).toBe(204);
    expect([await me(one), await me(two), await me(three)]).toEqual([200, 401, 401]);
    expect([(await signIn('changer')).status, (await signIn('changer', 'a longer one')).status]).toEqual([401, 201]);
  });

  test('of two changes at once one is refused', async () => {
    const [one, two] = await newcomer('racer');
    const replies = await Promise.all([
      put(one, { current: password, password: 'first of two' }),
      put(two, { current: password, password: 'second of two' }),
    ]);
    expect(replies.map(({ status }) => status).sort()).not.toEqual([204, 204]);
    const works = await Promise.all(
      ['first of two', 'second of two'].map(async (secret) => (await signIn('racer', secret)).status),
    );
    expect(works.sort()).toEqual([201, 401]);
  });
});

describe('refreshing', () => {
  const refresh = (refreshToken: string) =>
    service.call<Session>('POST', '/v1/sessions/refresh', { body: { refreshToken } });

  test('three at once with one token all get tokens, and each goes on with its own', async () => {
    const { json: first } = await signIn();
    let tokens = [first.refreshToken, first.refreshToken, first.refreshToken];
    for (let round = 0; round < 3; round++) {
      const replies = await Promise.all(tokens.map(refresh));
      expect(replies.map(({ status }) => status)).toEqual([201, 201, 201]);
      tokens = replies.map(({ json }) => json.refreshToken);
      expect(new Set(tokens).size).toBe(3);
      expect(await Promise.all(replies.map(({ json }) => me(json.accessToken)))).toEqual([200, 200, 200]);
    }
  });

  test('a reply that is lost twice takes nothing away, however late the token is sent again', async () => {
    const { json: first } = await signIn();
    for (let lost = 0; lost < 2; lost++) {
      expect((await refresh(first.refreshToken)).status).toBe(201);
      await graceIsOver();
    }
    const { json, status } = await refresh(first.refreshToken);
    expect([status, await me(json.accessToken)]).toEqual([201, 200]);
  });

  test('a tab that comes back after the grace goes on while nobody used what the other tab got', async () => {
    const { json: first } = await signIn();
    const { json: one } = await refresh(first.refreshToken);
    await graceIsOver();
    const { json: two } = await refresh(first.refreshToken);
    expect([await me(one.accessToken), await me(two.accessToken)]).toEqual([200, 200]);
    expect([(await refresh(one.refreshToken)).status, (await refresh(two.refreshToken)).status]).toEqual([201, 201]);
  });

  test('a token of long ago ends its session, and that is noted; a made-up one with its id does nothing', async () => {
    const thief = await service.call('POST', '/v1/users', {
      body: { name: 'Robbed', handle: 'robbed', email: 'robbed@cut.example', password },
    });
    const { json: first } = await signIn('robbed');
    let { json: last } = await refresh(first.refreshToken);
    for (let i = 0; i < 3; i++) last = (await refresh(last.refreshToken)).json;
    const [id] = last.refreshToken.split('.');
    expect((await refresh(`${id}.${'a'.repeat(22)}.${'b'.repeat(43)}`)).status).toBe(401);
    expect(await me(last.accessToken)).toBe(200);
    await graceIsOver();
    expect((await refresh(first.refreshToken)).status).toBe(401);
    expect([await me(last.accessToken), (await refresh(last.refreshToken)).status]).toEqual([401, 401]);
    const noted = await service.call('GET', '/v1/operator/refused-attempts', { as: service.operatorKey });
    expect(noted.json.routes).toContainEqual(
      expect.objectContaining({ handle: 'robbed', route: 'POST /v1/sessions/refresh', kind: 'reused token' }),
    );
    expect(thief.status).toBe(201);
  });
});

describe('keys', () => {
  const rotate = (atOnce: boolean) =>
    service.call('POST', '/v1/operator/signing-keys', { as: service.operatorKey, body: { atOnce } });

  test('are rotated without signing anybody out, in this process and in others', async () => {
    const { json: before } = await signIn();
    expect((await rotate(false)).status).toBe(204);
    const { json: after } = await signIn();
    const kid = (token: string) =>
      (JSON.parse(Buffer.from(token.split('.')[0]!, 'base64url').toString()) as { kid: string }).kid;
    expect(kid(after.accessToken)).not.toBe(kid(before.accessToken));
    expect([await me(before.accessToken), await me(after.accessToken)]).toEqual([200, 200]);
    // At once: what was signed before is refused, and each session refreshes.
    expect((await rotate(true)).status).toBe(204);
    expect([await me(before.accessToken), await me(after.accessToken)]).toEqual([401, 401]);
    const { json } = await service.call<Session>('POST', '/v1/sessions/refresh', {
      body: { refreshToken: after.refreshToken },
    });
    expect(await me(json.accessToken)).toBe(200);
  });
});

describe('an access token that was seen before', () => {
  test('is refused once it has expired, and so is one that is like it', async () => {
    const { json } = await signIn();
    expect([await me(json.accessToken), await me(json.accessToken)]).toEqual([200, 200]);
    const [header, claims, signature] = json.accessToken.split('.');
    const other = Buffer.from(signature!, 'base64url');
    other[0]! ^= 1;
    expect(await me([header, claims, other.toString('base64url')].join('.'))).toBe(401);
    const [now, later] = [Date.now(), (json.expiresIn + 1) * 1000];
    const clock = jest.spyOn(Date, 'now').mockImplementation(() => now + later);
    try {
      expect(await me(json.accessToken)).toBe(401);
    } finally {
      clock.mockRestore();
    }
    expect(await me(json.accessToken)).toBe(200);
  });

  test('lets nothing out of a route that forgets to look whether its session is alive', async () => {
    const { json } = await signIn();
    const hurry = () => service.call('GET', '/v1/hasty', { as: json.accessToken });
    // Looked at by the doorway as long as nobody has seen it alive.
    expect((await hurry()).status).toBe(200);
    const { status, json: told } = await hurry();
    expect([status, JSON.stringify(told).includes('secret')]).toEqual([500, false]);
    await service.call('DELETE', '/v1/sessions/current', { as: json.accessToken });
    expect((await hurry()).status).toBe(500);
  });

  test('is refused once its session has ended, while others of the user go on', async () => {
    const { json } = await signIn();
    const feed = () => service.call('GET', '/v1/feeds/following', { as: json.accessToken });
    expect([(await feed()).status, (await feed()).status]).toEqual([200, 200]);
    await service.call('DELETE', '/v1/sessions', { as: json.accessToken });
    for (let i = 0; i < 3; i++) expect((await feed()).status).toBe(401);
    const { json: again } = await signIn();
    expect((await service.call('GET', '/v1/feeds/following', { as: again.accessToken })).status).toBe(200);
  });
});

describe('guessing', () => {
  test('is slowed for who guesses, from where they guess; the owner elsewhere signs in', async () => {
    await service.call('POST', '/v1/users', {
      body: { name: 'Guessed', handle: 'guessed', email: 'guessed@cut.example', password },
    });
    const replies = await Promise.all(Array.from({ length: 12 }, () => signIn('guessed', 'not the password')));
    const refused = replies.filter(({ status }) => status === 429);
    expect(refused.length).toBeGreaterThanOrEqual(6);
    expect(Number(refused[0]!.headers.get('retry-after'))).toBeGreaterThanOrEqual(1);
    // The right password does not help either, from there; by e-mail it is the same account.
    expect((await signIn('guessed@cut.example')).status).toBe(429);
    const sessions = service.house.get(Sessions);
    await expect(sessions.signIn('guessed', password, '192.0.2.7', false)).resolves.toMatchObject({
      refreshToken: expect.any(String),
    });
    // Nor does guessing through what asks for the password once more.
    const { json: guesser } = await service.call<Session>('POST', '/v1/users', {
      body: { name: 'Guesser', handle: 'guesser', email: 'guesser@cut.example', password },
    });
    expect(guesser).toBeDefined();
    const inside = (await signIn('guesser')).json.accessToken;
    const change = () =>
      service.call('PUT', '/v1/me/password', { as: inside, body: { current: 'a guess', password: 'a longer one' } });
    const changes = await Promise.all(Array.from({ length: 12 }, change));
    expect(changes.filter(({ status }) => status === 429).length).toBeGreaterThanOrEqual(6);
    const deletion = await service.call('DELETE', '/v1/users/@guesser', { as: inside, body: { password } });
    expect(deletion.status).toBe(429);
    // Somebody who does not exist is slowed as well: the answer tells nothing.
    const unknown = await Promise.all(Array.from({ length: 8 }, () => signIn('nobody_by_that_name', 'a guess')));
    expect(unknown.some(({ status }) => status === 429)).toBe(true);
  });
});

describe('a session in the browser', () => {
  const origin = () => ({ origin: service.address });
  const open = async (headers: Record<string, string> = origin()) =>
    service.call('POST', '/v1/sessions', { body: { login: 'odile', password, cookie: true }, headers });
  const cookieOf = (headers: Headers) => headers.getSetCookie()[0]!;

  test('is a cookie that no script reads and no other page sends; no token is handed out', async () => {
    const { status, json, headers } = await open();
    expect([status, json.accessToken, json.refreshToken, json.tokenType]).toEqual([201, null, null, 'Cookie']);
    expect(cookieOf(headers)).toMatch(/HttpOnly/);
    expect(cookieOf(headers)).toMatch(/SameSite=Strict/);
    const cookie = cookieOf(headers).split(';')[0]!;
    expect((await service.call('GET', '/v1/me', { headers: { cookie } })).status).toBe(200);
    const post = (more: Record<string, string>) =>
      service.call('POST', '/v1/posts', { body: { body: 'by cookie' }, headers: { cookie, ...more } });
    const statuses = [await post({}), await post({ origin: 'https://elsewhere.example' }), await post(origin())];
    expect(statuses.map((reply) => reply.status)).toEqual([403, 403, 201]);
    const token = (await signIn()).json.accessToken;
    expect((await service.call('GET', '/v1/me', { as: token, headers: { cookie } })).status).toBe(400);
    // The cookie is not good as a refresh token, nor on the operator's routes.
    const refreshToken = cookie.split('=')[1]!;
    expect((await service.call('POST', '/v1/sessions/refresh', { body: { refreshToken } })).status).toBe(401);
    expect((await service.call('GET', '/v1/operator/stats', { headers: { cookie } })).status).toBe(401);
    const out = await service.call('DELETE', '/v1/sessions/current', { headers: { cookie, ...origin() } });
    expect([out.status, cookieOf(out.headers)]).toEqual([204, expect.stringMatching(/Expires=Thu, 01 Jan 1970/)]);
    const after = await service.call('GET', '/v1/posts', { headers: { cookie } });
    expect([after.status, cookieOf(after.headers)]).toEqual([401, expect.stringMatching(/Expires=Thu, 01 Jan 1970/)]);
  });

  test('is given to the console’s own pages alone', async () => {
    expect((await open({})).status).toBe(403);
    expect((await open({ origin: 'https://elsewhere.example' })).status).toBe(403);
  });
});
