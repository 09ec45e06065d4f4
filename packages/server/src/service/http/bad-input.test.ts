import { Writable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

interface Operation {
  readonly method: string;
  readonly path: string;
  readonly rule: string;
  readonly takesJson: boolean;
  readonly query: string[];
}

let service: TestService;
let user: Actor;
let operations: Operation[];
beforeAll(async () => {
  service = await startTestService();
  user = await service.user('tried_all');
  const { paths } = (
    await service.call<{
      paths: Record<
        string,
        Record<
          string,
          { 'x-doorway': string; 'requestBody'?: { content: object }; 'parameters'?: { in: string; name: string }[] }
        >
      >;
    }>('GET', '/v1/openapi.json')
  ).json;
  operations = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, { 'x-doorway': rule, requestBody, parameters = [] }]) => ({
      method: method.toUpperCase(),
      path,
      rule,
      takesJson: Object.keys(requestBody?.content ?? {}).includes('application/json'),
      query: parameters.filter((each) => each.in === 'query').map(({ name }) => name),
    })),
  );
});
afterAll(() => service.stop());

const UUID = '0190a000-0000-7000-8000-00000000abcd';
const filled = (path: string, value: string) => path.replace(/\{\w+\}/g, encodeURIComponent(value));
const asOf = ({ rule }: Operation) => (rule === 'operator' ? service.operatorKey : user);
/** Everything that people made, to see that nothing of it changed. */
const everything = async () =>
  JSON.stringify(
    await service.dataSource.query(`SELECT
      (SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM users t) AS users, (SELECT count(*) FROM posts) AS posts,
      (SELECT count(*) FROM comments) AS comments, (SELECT count(*) FROM follows) AS follows, (SELECT count(*) FROM signing_keys) AS keys,
      (SELECT count(*) FROM uploads) AS uploads, (SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM weightings t) AS weightings`),
  );
/** Refused with a problem that has a page, and nothing of the inside. */
async function refused(
  operation: Operation,
  what: string,
  sent: { path: string; as?: Actor | string; body?: unknown; headers?: Record<string, string> },
) {
  const { status, json, headers } = await service.call<{ type?: string; detail?: string }>(
    operation.method,
    sent.path,
    sent,
  );
  const said = `${operation.method} ${operation.path} with ${what}: ${status} ${json.detail ?? ''}`;
  if (status < 400 || status >= 500) throw new Error(`not refused: ${said}`);
  if (!headers.get('content-type')?.startsWith('application/problem+json')) throw new Error(`no problem: ${said}`);
  expect(json.type).toMatch(/\/docs\/problems\/[a-z-]+$/);
  expect(JSON.stringify(json)).not.toMatch(/at .*\.[jt]s:\d+|SELECT |QueryFailed|syntax error/);
}

describe('every route, with bad input, refuses it with a clear problem and changes nothing', () => {
  const BAD_IDS = [
    `'; DROP TABLE users; --`,
    '<script>alert(1)</script>',
    '\u202eevil',
    'a\0b',
    '../../etc/passwd',
    'x'.repeat(90),
    '%',
    '[object Object]',
  ];
  test('ids that are none, or of another kind', async () => {
    const before = await everything();
    for (const operation of operations.filter(({ path, method }) => path.includes('{') && method !== 'POST')) {
      for (const id of BAD_IDS)
        await refused(operation, JSON.stringify(id), {
          path: filled(operation.path, id),
          as: asOf(operation),
          ...(operation.takesJson && { body: {} }),
        });
      if (!operation.path.includes('{table}'))
        await refused(operation, 'an id of nothing', {
          path: filled(operation.path, UUID),
          as: asOf(operation),
          ...(operation.takesJson && { body: { nonsense: 1 } }),
        });
    }
    expect(await everything()).toBe(before);
  });

  const deep = '{"a":'.repeat(20_000) + '1' + '}'.repeat(20_000);
  const BODIES: [string, string][] = [
    ['JSON cut short', '{"body":'],
    ['a string', '"x"'],
    ['null', 'null'],
    ['a list', '[]'],
    ['a number', '7'],
    [
      'wrong types',
      '{"name":7,"email":[],"password":{},"body":9,"login":null,"user":{},"provider":1,"ticket":[],"key":8,"fields":"x","reason":4,"atOnce":"no","only":"x","token":1,"refreshToken":2,"current":3,"handle":4,"bio":5}',
    ],
    ['unknown properties', '{"isAdmin":true,"authorId":"x"}'],
    ['a prototype', '{"__proto__":{"moderator":true},"body":"x"}'],
    ['a lone surrogate', '{"body":"\\ud800","reason":"\\ud800","name":"\\ud800","login":"\\ud800","unknown":1}'],
    ['NUL', '{"body":"a\\u0000b","reason":"a\\u0000b","unknown":1}'],
    ['deep JSON', deep],
    ['2 MB of text', `{"body":"${'x'.repeat(2_000_000)}"}`],
  ];
  test.each(BODIES)('a body of %s', async (name, body) => {
    const before = await everything();
    for (const operation of operations.filter(({ takesJson }) => takesJson)) {
      const path = operation.path.replace('{user}', user.id).replace('{id}', user.id);
      await refused(operation, name, { path: filled(path, UUID), as: asOf(operation), body });
    }
    expect(await everything()).toBe(before);
  });

  test('the same key twice in a body is taken once, as JSON.parse has it, and never as two things', async () => {
    const { status, json } = await service.call('POST', '/v1/posts', {
      as: user,
      body: '{"body":"first","body":"second"}',
    });
    expect([status, json.body]).toEqual([201, 'second']);
  });

  test('tokens that are unsigned, cut, of nobody, another’s refresh token, or twice there', async () => {
    const [header, payload] = user.token.split('.') as [string, string];
    const none = `${Buffer.from('{"alg":"none","typ":"at+jwt"}').toString('base64url')}.${payload}.`;
    const tokens = [
      none,
      `${header}.${payload}.`,
      `${header}.${payload}`,
      'x'.repeat(4_000),
      `${UUID}.${'a'.repeat(22)}.${'b'.repeat(43)}`,
      'gl-operator-guessed',
    ];
    const before = await everything();
    for (const operation of operations)
      for (const as of tokens)
        await refused(operation, as.slice(0, 30), {
          path: filled(operation.path, UUID),
          as,
          ...(operation.takesJson && { body: {} }),
        });
    expect(await everything()).toBe(before);
  });

  test('parameters of the query that are none', async () => {
    for (const operation of operations.filter(({ query, path }) => query.includes('after') && !path.includes('{')))
      for (const query of [
        'limit=0',
        'limit=1e9',
        'limit=-1',
        'limit=x',
        `after=${'x'.repeat(2_000)}`,
        'after=%00',
        "after=' OR 1=1 --",
      ])
        if (operation.rule !== 'moderator')
          await refused(operation, query, { path: `${operation.path}?${query}`, as: asOf(operation) });
  });

  test('headers that are too large are refused before anything is read', async () => {
    const reply = await fetch(`${service.address}/v1/posts`, { headers: { 'x-large': 'x'.repeat(20_000) } });
    expect(reply.status).toBe(431);
  });
});

describe('what is safe by default', () => {
  test('CORS is closed, and opened for the configured origins alone, never with cookies', async () => {
    const origin = 'https://app.cut.example';
    const opened = await startTestService({ configuration: { server: { origins: [origin] } } });
    const allowed = async (at: TestService, from: string) => {
      const { headers } = await at.call('GET', '/v1/posts', { headers: { origin: from } });
      return [headers.get('access-control-allow-origin'), headers.get('access-control-allow-credentials')];
    };
    expect(await allowed(service, origin)).toEqual([null, null]);
    expect(await allowed(opened, origin)).toEqual([origin, null]);
    expect((await allowed(opened, 'https://elsewhere.example'))[0]).not.toBe('https://elsewhere.example');
    const preflight = await fetch(`${opened.address}/v1/posts`, {
      method: 'OPTIONS',
      headers: {
        origin,
        'access-control-request-method': 'POST',
        'access-control-request-headers': 'authorization,idempotency-key',
      },
    });
    expect([preflight.status, preflight.headers.get('access-control-allow-origin')]).toEqual([204, origin]);
    await opened.stop();
  });

  test('calls are limited by user, with the standard headers, and the operator is not', async () => {
    const limited = await startTestService({ environment: { GATHER_LANE_RATES_CALLS_PER_MINUTE: '5' } });
    const [a, b] = [await limited.user(), await limited.user()];
    const call = (as: Actor | string) =>
      limited.call('GET', typeof as === 'string' ? '/v1/operator/stats' : '/v1/me', { as });
    const first = await call(a);
    expect([first.headers.get('ratelimit-limit'), first.headers.get('ratelimit-remaining')]).toEqual(['5', '4']);
    const replies = [];
    for (let i = 0; i < 6; i++) replies.push(await call(a));
    const last = replies.at(-1)!;
    expect([last.status, Number(last.headers.get('retry-after')) > 0]).toEqual([429, true]);
    expect((await call(b)).status).toBe(200);
    for (let i = 0; i < 8; i++) expect((await call(limited.operatorKey)).status).toBe(200);
    await limited.stop();
  });

  test('logs hold no secrets, not even at the most talkative level or of a statement that failed', async () => {
    let log = '';
    const logStream = new Writable({ write: (chunk: Buffer, _, done) => ((log += chunk.toString()), done()) });
    const talkative = await startTestService({ environment: { GATHER_LANE_LOG_LEVEL: 'debug' }, app: { logStream } });
    const [email, password] = ['secret@cut.example', 'narrowboat secret'];
    await talkative.call('POST', '/v1/users', { body: { name: 'Secretive', handle: 'secretive', email, password } });
    const { json } = await talkative.call<{ accessToken: string; refreshToken: string }>('POST', '/v1/sessions', {
      body: { login: email, password },
    });
    await talkative.call('GET', '/v1/me', { as: json.accessToken });
    await talkative.dataSource.query(`ALTER TABLE credentials RENAME TO credentials_gone`);
    expect((await talkative.call('POST', '/v1/sessions', { body: { login: email, password } })).status).toBe(500);
    await talkative.stop();
    expect(log).toContain('unforeseen error');
    for (const secret of [email, password, json.accessToken, json.refreshToken, talkative.operatorKey])
      expect(log).not.toContain(secret);
  });

  test('the usual headers are there', async () => {
    const { headers } = await service.call('GET', '/v1/posts');
    expect(headers.get('content-security-policy')).toContain("script-src 'self'");
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('strict-transport-security')).toBeNull();
    const secure = await startTestService({
      environment: { GATHER_LANE_SERVER_PUBLIC_ADDRESS: 'https://cut.example', GATHER_LANE_SERVER_HOSTS: '127.0.0.1' },
    });
    expect((await secure.call('GET', '/v1/posts')).headers.get('strict-transport-security')).toMatch(/max-age/);
    await secure.stop();
  });
});
