import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import sharp from 'sharp';
import { OperatorKey } from '../accounts/operator/key.js';
import { SharedCounts } from '../ground/rates/shared-counts.js';
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

const anew = (handle: string) => ({ handle, email: `${handle}@gather.example` });
const account = { ...anew('between_two'), password: 'one-or-the-other', name: 'Between Two' };

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
    await one.call('POST', '/v1/users', { body: account });
    const { json } = await one.call<Tokens>('POST', '/v1/sessions', {
      body: { login: account.handle, password: account.password },
    });
    tokens = json;
  });

  test('that are given up at one are refused at the other on the very next call, and what either signs then is good at both', async () => {
    // Both have seen the token, and hold what they found.
    for (const at of [one, other, one, other]) expect(await me(at, tokens.accessToken)).toBe(200);
    await rotate(one, true);
    // A feed's own statement looks at the key; any other call has one that does.
    const feed = await other.call('GET', '/v1/feeds/following', { as: tokens.accessToken });
    expect([feed.status, await me(other, tokens.accessToken), await me(one, tokens.accessToken)]).toEqual([
      401, 401, 401,
    ]);
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

describe('limits', () => {
  const environment = { GATHER_LANE_RATES_CALLS_PER_MINUTE: '60', GATHER_LANE_RATES_SIGN_UPS_PER_MINUTE: '10' };
  let services: TestService[];
  beforeAll(async () => {
    services = [
      await startTestService({ on: one.database, environment }),
      await startTestService({ on: one.database, environment }),
    ];
  });
  afterAll(async () => {
    for (const each of services) await each.stop();
  });
  const statuses = async (times: number, call: (at: TestService) => Promise<{ status: number }>, together: boolean) => {
    const found: number[] = [];
    const calls = Array.from(
      { length: times },
      (_, i) => async () => found.push((await call(services[i % 2]!)).status),
    );
    if (together) await Promise.all(calls.map((each) => each()));
    else for (const each of calls) await each();
    const counted: Record<number, number> = {};
    for (const status of found) counted[status] = (counted[status] ?? 0) + 1;
    return { counted, last: found.at(-1) };
  };

  test.each([true, false])('let as many calls through together as one service would, at once: %s', async (together) => {
    const caller = await one.user();
    const { counted } = await statuses(200, (at) => at.call('GET', '/v1/me', { as: caller }), together);
    expect(counted).toEqual({ 200: 60, 429: 140 });
    // Of this caller alone.
    expect((await services[0]!.call('GET', '/v1/me', { as: await one.user() })).status).toBe(200);
  });

  test('hold for who comes to the other when they are used up at one', async () => {
    const caller = await one.user();
    const [first, second] = services as [TestService, TestService];
    for (let n = 0; n < 60; n++) expect((await first.call('GET', '/v1/me', { as: caller })).status).toBe(200);
    const reply = await second.call('GET', '/v1/me', { as: caller });
    expect([reply.status, reply.headers.get('ratelimit-remaining')]).toEqual([429, '0']);
  });

  test('of an address hold for it at both, and say when to come again', async () => {
    // Whoever signed up at the first service came from here too.
    await one.dataSource.query(`DELETE FROM call_counts`);
    let n = 0;
    const signUp = (at: TestService) => at.call('POST', '/v1/users', { body: { ...account, ...anew(`comer_${n++}`) } });
    const { counted } = await statuses(14, signUp, false);
    expect(counted).toEqual({ 201: 10, 429: 4 });
    const refused = await signUp(services[1]!);
    expect([refused.status, Number(refused.headers.get('retry-after')) > 0]).toEqual([429, true]);
    // What else comes from there is counted apart.
    expect((await services[1]!.call('GET', '/v1/about')).status).toBe(200);
  });

  test('hold at each for itself while the database does not count, and nobody waits for it for long', async () => {
    const caller = await one.user();
    await one.dataSource.query(`ALTER TABLE call_counts RENAME TO call_counts_away`);
    try {
      const { counted } = await statuses(200, (at) => at.call('GET', '/v1/me', { as: caller }), true);
      expect(counted).toEqual({ 200: 120, 429: 80 });
    } finally {
      await one.dataSource.query(`ALTER TABLE call_counts_away RENAME TO call_counts`);
    }
  });

  test('who called is kept as a hash, and forgotten once the minute is over', async () => {
    const caller = await one.user();
    for (const at of services) for (let i = 0; i < 8; i++) await at.call('GET', '/v1/me', { as: caller });
    const rows = await one.dataSource.query<{ key: string; n: number }[]>(`SELECT key, n FROM call_counts`);
    expect(rows.length).toBeGreaterThan(0);
    for (const { key } of rows) expect(key).toMatch(/^[\w-]{43}$/);
    await one.dataSource.query(`UPDATE call_counts SET ends_at = clock_timestamp() - interval '1 second'`);
    await services[0]!.house.get(SharedCounts).forget();
    expect(await one.dataSource.query(`SELECT FROM call_counts`)).toEqual([]);
  });
});

describe('the operator key', () => {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-key-'));
  const key = `gl-operator-${'k'.repeat(40)}`;
  afterAll(() => rmSync(folder, { recursive: true }));

  test('that was given is that of each service, and opens browsers at all of them', async () => {
    const environment = { GATHER_LANE_OPERATOR_KEY: key };
    const [a, b] = [
      await startTestService({ on: one.database, environment }),
      await startTestService({ on: one.database, environment }),
    ];
    for (const at of [a, b]) expect((await at.call('GET', '/v1/operator/stats', { as: key })).status).toBe(200);
    const opened = await a.call('POST', '/v1/operator/browser-sessions', { body: { key } });
    const cookie = opened.headers.get('set-cookie')!.split(';')[0]!;
    for (const at of [a, b])
      expect((await at.call('GET', '/v1/operator/stats', { headers: { cookie } })).status).toBe(200);
    for (const at of [a, b]) await at.stop();
  });

  test('comes from the variable, else from the file, else it is made; one that is none is refused with what one is', () => {
    const file = join(folder, 'shared.key');
    writeFileSync(file, `${key}\n`);
    expect(new OperatorKey(folder, { file }).bearer).toBe(key);
    expect(new OperatorKey(folder, { file, key: `${key}2` }).bearer).toBe(`${key}2`);
    const made = new OperatorKey(folder);
    expect([
      made.bearer === key,
      made.bearer === new OperatorKey(folder).bearer,
      statSync(made.path).mode & 0o777,
    ]).toEqual([false, true, 0o600]);
    for (const none of ['', 'gl-operator-short', 'secret'.repeat(10)])
      expect(() => new OperatorKey(folder, { key: none })).toThrow(
        /GATHER_LANE_OPERATOR_KEY holds no operator key: .*at least 32/,
      );
    expect(() => new OperatorKey(folder, { file: join(folder, 'nowhere') })).toThrow(/nowhere, which is not there/);
  });
});

test('a picture whose files are in another folder is put where they are missing when it is taken again', async () => {
  const caller = await one.user();
  const create = { width: 300, height: 200, channels: 3, background: { r: 40, g: 90, b: 140 } } as const;
  const bytes = await sharp({ create }).png().toBuffer();
  const upload = async (at: TestService) => {
    const form = new FormData();
    form.append('file', new Blob([bytes]), 'lock.png');
    const headers = { authorization: `Bearer ${caller.token}` };
    const reply = await fetch(`${at.address}/v1/media`, { method: 'POST', body: form, headers });
    return { status: reply.status, json: (await reply.json()) as { id: string; url: string } };
  };
  const [here, there] = [await upload(one), await upload(other)];
  expect([here.status, there.status]).toEqual([201, 201]);
  const body = { body: 'The lock', media: [{ id: here.json.id, alt: 'A lock' }] };
  expect((await one.call('POST', '/v1/posts', { as: caller, body })).status).toBe(201);
  for (const at of [one, other]) expect((await fetch(at.address + new URL(here.json.url).pathname)).status).toBe(200);
});

test('what an ownership check found at one is known at the other', async () => {
  const run = await one.call<{ endedAt: string; calls: number }>('POST', '/v1/operator/ownership-checks', {
    as: one.operatorKey,
    body: { only: ['getAbout', 'listMutes'] },
  });
  expect(run.status).toBe(200);
  const there = await other.call('GET', '/v1/operator/ownership-checks/latest', { as: other.operatorKey });
  expect([there.status, there.json]).toEqual([200, run.json]);
});
