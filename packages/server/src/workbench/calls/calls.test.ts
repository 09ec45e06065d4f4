import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Trace } from '@gather-lane/core';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
let ann: Actor;
let ben: Actor;
let post: string;

beforeAll(async () => {
  const environment = { GATHER_LANE_TRACES_ON: 'true', GATHER_LANE_SESSIONS_ACTING_AS: 'true' };
  service = await startTestService({ environment });
  [ann, ben] = [await service.user('ann'), await service.user('ben')];
  post = (await service.call<{ id: string }>('POST', '/v1/posts', { as: ann, body: { body: 'Mine.' } })).json.id;
});
afterAll(() => service.stop());

interface Outcome {
  readonly as: string;
  readonly handle: string | null;
  readonly says: string | null;
  readonly status: number | null;
  readonly headers: Record<string, string>;
  readonly body: Record<string, unknown> | null;
  readonly trace: Trace | null;
}
const calls = (body: object) =>
  service.call<{ outcomes: Outcome[]; detail: string }>('POST', '/v1/operator/calls', {
    as: service.operatorKey,
    body,
  });
const everybody = () => [
  { as: 'user', user: '@ann' },
  { as: 'user', user: ben.id },
  { as: 'blocked', user: '@ben' },
  { as: 'nobody' },
  { as: 'ended', user: '@ann' },
  { as: 'operator' },
];
/** Every row of every table but what processes tell each other, as one value to compare. */
const everything = async (): Promise<string> => {
  const tables = await service.dataSource.query<{ name: string }[]>(
    `SELECT relname AS name FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace AND relpersistence = 'p' ORDER BY 1`,
  );
  const parts: string[] = [];
  for (const { name } of tables)
    parts.push(
      JSON.stringify(
        await service.dataSource.query(`SELECT to_jsonb(t) AS row FROM "${name}" t ORDER BY to_jsonb(t)::text`),
      ),
    );
  return parts.join('\n');
};

describe('the same call as several callers', () => {
  test('meets each as they are, on the same state, and leaves nothing', async () => {
    const before = await everything();
    const { status, json } = await calls({ method: 'DELETE', path: `/v1/posts/${post}`, callers: everybody() });
    expect(status).toBe(200);
    expect(
      json.outcomes.map(({ as, handle, status: met, body }) => [
        as,
        handle,
        met,
        body && String(body.type).split('/').at(-1),
      ]),
    ).toEqual([
      ['user', 'ann', 204, null],
      ['user', 'ben', 403, 'not-yours'],
      ['blocked', 'ben', 404, 'not-found'],
      ['nobody', null, 401, 'not-signed-in'],
      ['ended', 'ann', 401, 'bad-token'],
      ['operator', null, 403, 'wrong-principal'],
    ]);
    const [done, refused] = json.outcomes.map(({ trace }) => trace!);
    expect(done!.rehearsed).toBe(true);
    expect(done!.rows.filter(({ table }) => table === 'posts')).toMatchObject([
      { act: 'changed', key: post, after: { removal: 'owner' } },
    ]);
    expect(refused!.counts).toEqual({ refused_attempts: { inserted: 1, changed: 0, deleted: 0 } });
    expect(await everything()).toBe(before);
  });

  test('is made in the one transaction even where the call has transactions of its own, acts that are combined, and failures', async () => {
    const before = await everything();
    const callers = [{ as: 'user', user: '@ben' }];
    const made = async (method: string, path: string, body?: object) =>
      (await calls({ method, path, ...(body && { body }), callers })).json.outcomes[0]!;
    const posted = await made('POST', '/v1/posts', { body: 'Never there. @ann #nowhere' });
    expect(posted).toMatchObject({ status: 201, body: { body: 'Never there. @ann #nowhere' } });
    expect(posted.trace!.statements.map(({ text }) => text).filter((text) => /^(BEGIN|COMMIT)/.test(text))).toEqual([
      'BEGIN',
      'COMMIT',
    ]);
    const reacted = await made('PUT', `/v1/posts/${post}/reaction`, { kind: 'like' });
    expect(reacted).toMatchObject({ status: 200, body: { tallies: { reactions: { like: 1 } } } });
    const taken = await made('POST', '/v1/users', {
      handle: 'ann',
      name: 'Ann too',
      email: 'ann@people.example',
      password: 'a-long-password',
    });
    expect(taken.status).toBe(409);
    expect(taken.trace!.rows.filter(({ table }) => table === 'users').every(({ undone }) => undone)).toBe(true);
    const gone = await calls({
      method: 'DELETE',
      path: `/v1/users/${ann.id}`,
      body: { handle: 'ann' },
      callers: [{ as: 'user', user: '@ann' }],
    });
    expect(gone.json.outcomes[0]!.status).toBe(204);
    expect(await everything()).toBe(before);
  });

  test('holds nobody up who does the same at the same time', async () => {
    const wish = { method: 'PUT', path: `/v1/follows/${ann.id}`, callers: [{ as: 'user', user: '@ben' }] };
    const [rehearsed, real] = await Promise.all([
      Promise.all([calls(wish), calls(wish), calls(wish)]),
      service.call('PUT', `/v1/follows/${ann.id}`, { as: ben }),
    ]);
    expect([200, 201]).toContain(real.status);
    for (const { json } of rehearsed) expect([200, 201]).toContain(json.outcomes[0]!.status);
    const [{ n }] = await service.dataSource.query<[{ n: number }]>(
      `SELECT count(*)::integer AS n FROM follows WHERE follower_id = $1`,
      [ben.id],
    );
    expect(n).toBe(1);
  });

  test('says where that is not possible, and does nothing', async () => {
    const told = async (method: string, path: string, more: object = {}) =>
      (await calls({ method, path, callers: [{ as: 'user', user: '@ann' }], ...more })).json.outcomes[0]!;
    expect(await told('POST', '/v1/password-resets')).toMatchObject({
      status: null,
      trace: null,
      says: 'It cannot be rolled back: it sends mail.',
    });
    expect((await told('GET', '/v1/events')).says).toMatch(/opens a stream, which does not end/);
    expect((await told('POST', '/v1/media')).says).toMatch(/takes a file/);
    expect((await told('GET', '/v1/events', { keep: true })).says).toMatch(/opens a stream/);
    expect((await told('GET', '/v1/me', { callers: [{ as: 'blocked', user: '@ben' }] })).says).toMatch(
      /names nothing of anybody’s/,
    );
    expect((await told('GET', `/v1/posts/${post}`, { callers: [{ as: 'blocked', user: '@ann' }] })).says).toMatch(
      /nobody blocks themselves/,
    );
  });
});

describe('a call that is kept', () => {
  test('is done, with what it is sent, as who it is of', async () => {
    const { json } = await calls({
      method: 'PATCH',
      path: `/v1/posts/${post}`,
      body: { body: 'Mine still.' },
      headers: { 'If-Match': '"1"' },
      callers: [{ as: 'user', user: '@ann' }],
      keep: true,
    });
    const [{ status, headers, trace }] = json.outcomes as [Outcome];
    expect([status, headers.etag, trace!.caller.handle, trace!.rehearsed]).toEqual([200, '"2"', 'ann', false]);
    expect((await service.call<{ body: string }>('GET', `/v1/posts/${post}`)).json.body).toBe('Mine still.');
    const stale = await calls({
      method: 'PATCH',
      path: `/v1/posts/${post}`,
      body: { body: 'No.' },
      headers: { 'if-match': '"1"' },
      callers: [{ as: 'user', user: '@ann' }],
      keep: true,
    });
    expect(stale.json.outcomes[0]!.status).toBe(412);
  });

  test('is of one caller, and never of who the headers or the body say', async () => {
    const two = await calls({
      method: 'GET',
      path: '/v1/me',
      callers: [{ as: 'nobody' }, { as: 'operator' }],
      keep: true,
    });
    expect(two.status).toBe(422);
    const { json } = await calls({
      method: 'GET',
      path: '/v1/me',
      headers: { authorization: `Bearer ${ann.token}`, cookie: 'x=1' },
      callers: [{ as: 'nobody' }],
      keep: true,
    });
    expect(json.outcomes[0]!.status).toBe(401);
    expect((await calls({ method: 'GET', path: '/v1/me', callers: [{ as: 'user' }], keep: true })).status).toBe(422);
    expect(
      (await calls({ method: 'GET', path: '/v1/me', callers: [{ as: 'user', user: '@nobody_there' }], keep: true }))
        .status,
    ).toBe(404);
    expect(
      (await calls({ method: 'POST', path: '/v1/operator/calls', callers: [{ as: 'operator' }], keep: true })).status,
    ).toBe(422);
    expect((await service.call('POST', '/v1/operator/calls', { as: ann, body: {} })).status).toBe(403);
  });

  test('is made as nobody else where the operator may not act as users', async () => {
    const strict = await startTestService({ on: service.database, environment: { GATHER_LANE_TRACES_ON: 'true' } });
    try {
      const call = (callers: object[]) =>
        strict.call('POST', '/v1/operator/calls', {
          as: strict.operatorKey,
          body: { method: 'GET', path: '/v1/me', callers },
        });
      expect((await call([{ as: 'nobody' }])).status).toBe(200);
      for (const as of ['user', 'ended', 'blocked']) expect((await call([{ as, user: '@ann' }])).status).toBe(403);
    } finally {
      await strict.stop();
    }
  });
});

describe('what is written is read before it is sent', () => {
  const proof = (body: object) =>
    service.call<{ faults: { line: number | null; where: string; says: string }[]; walk: unknown }>(
      'POST',
      '/v1/operator/proofs',
      { as: service.operatorKey, body },
    );

  test.each([
    ['POST', '/v1/posts', undefined, { body: ' ', author: 'me' }],
    ['POST', '/v1/posts', undefined, { body: 'x'.repeat(4_001) }],
    ['POST', '/v1/posts', undefined, { body: 'x'.repeat(601) }],
    ['POST', '/v1/posts', undefined, []],
    ['POST', '/v1/posts', undefined, { version: 3 }],
    ['POST', '/v1/users', undefined, { name: 'A\u200b', email: 'none', password: 'short' }],
    ['GET', '/v1/posts', { limit: '500' }, undefined],
    ['PUT', '/v1/notifications/seen', undefined, { mark: 7 }],
  ])('%s %s: in the words of the service', async (method, path, parameters, body) => {
    const query = new URLSearchParams(parameters as Record<string, string> | undefined).toString();
    const real = await service.call<{ errors: { pointer: string; detail: string }[] }>(
      method,
      query ? `${path}?${query}` : path,
      { as: ann, ...(body !== undefined && { body }) },
    );
    expect([400, 422]).toContain(real.status);
    const { json } = await proof({
      call: { method, template: path, parameters: parameters ?? {}, ...(body !== undefined && { body }) },
    });
    expect(json.faults.map(({ where, says }) => [where.replace(/^parameter/, ''), says])).toEqual(
      real.json.errors.map(({ pointer, detail }) => [pointer, detail]),
    );
  });

  test('nothing is wrong with what is taken, and an operation that is not there is no call', async () => {
    expect(
      (
        await proof({
          call: { method: 'POST', template: '/v1/posts', parameters: {}, body: { body: 'x'.repeat(600) } },
        })
      ).json.faults,
    ).toEqual([]);
    expect((await proof({ call: { method: 'POST', template: '/v1/nothing', parameters: {} } })).status).toBe(422);
  });

  test('a walk, and a value against a schema', async () => {
    const walk = await proof({ walk: 'walk: A\nsteps:\n  - call: GET /v1/abaut' });
    expect(walk.json.faults).toEqual([
      { line: 3, where: 'step 1', says: expect.stringContaining('did you mean /v1/about?') },
    ]);
    expect(walk.json.walk).toMatchObject({ walk: 'A' });
    expect((await proof({ walk: '\t- no' })).json).toMatchObject({ walk: null, faults: [{ line: 1 }] });
    expect((await proof({ value: { schema: { type: 'string' }, value: 3 } })).json.faults).toMatchObject([
      { where: 'body', says: 'must be string' },
    ]);
    expect((await proof({ value: { schema: { type: 'nothing' }, value: 3 } })).status).toBe(422);
    expect((await proof({})).status).toBe(422);
  });
});
