import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { RowChange, Trace } from '@gather-lane/core';
import { randomUUID } from 'node:crypto';
import { createServer, request } from 'node:http';
import { CAPABILITIES } from '../../service/capabilities.js';
import { careless } from '../../tests/careless/capability.js';
import { Careless1900000000001 } from '../../tests/careless/migration.js';
import { startTestService, type Actor, type Sent, type TestService } from '../../tests/test-service.js';
import { Recorder } from './recorder.js';

const capabilities = [...CAPABILITIES, careless];
const TRACED = {
  capabilities,
  migrations: [Careless1900000000001],
  mailbox: true,
  environment: { GATHER_LANE_TRACES_ON: 'true' },
};
let service: TestService;
let ann: Actor;
let ben: Actor;

beforeAll(async () => {
  service = await startTestService(TRACED);
  [ann, ben] = [await service.user('ann'), await service.user('ben')];
});
afterAll(() => service.stop());

const traceOf = async (id: string | null, at = service): Promise<Trace> => {
  const { status, json } = await at.call<Trace>('GET', `/v1/operator/traces/${id}`, { as: at.operatorKey });
  expect(status).toBe(200);
  return json;
};
/** Makes a call, and says what it did. */
const traced = async (method: string, path: string, sent?: Sent) => {
  const reply = await service.call(method, path, sent);
  return { ...reply, trace: await traceOf(reply.headers.get('gather-trace')) };
};
/** `+posts` for a row that was inserted, `~` changed, `-` deleted; by whom, and what is another value. */
const said = ({ act, table, changed, by }: RowChange) =>
  `${{ inserted: '+', changed: '~', deleted: '-' }[act]}${table}${changed.length > 0 ? ` ${changed.join(',')}` : ''}${by ? ` by ${by.replace('function ', '')}` : ''}`;
const rows = ({ rows: all }: Trace) => all.filter(({ table }) => table !== 'events').map(said);

describe('each kind of write tells exactly its rows', () => {
  let post: string;
  let comment: string;

  test('a post, with what triggers keep', async () => {
    const { json, trace } = await traced('POST', '/v1/posts', { as: ann, body: { body: 'Up early. #mooring' } });
    post = (json as { id: string }).id;
    expect(rows(trace)).toEqual([
      '+posts',
      '+post_tallies by after_posts_inserted',
      '+standings_1 by stand_1',
      '~user_tallies posts by count_users',
      '+hashtags by set_hashtags',
      '+post_hashtags by set_hashtags',
      '~hashtags posts,people by count_hashtags',
      '+hashtag_people by count_hashtags',
    ]);
    const inserted = trace.rows[0]!;
    expect(inserted).toMatchObject({
      key: post,
      before: null,
      undone: false,
      after: { id: post, author_id: ann.id, body: 'Up early. #mooring', version: 1 },
    });
    expect(trace.rows.find(({ table }) => table === 'user_tallies')).toMatchObject({
      key: ann.id,
      before: { posts: 0 },
      after: { posts: 1 },
    });
    expect(trace.counts.hashtags).toEqual({ inserted: 1, changed: 1, deleted: 0 });
    expect(trace).toMatchObject({
      method: 'POST',
      route: '/v1/posts',
      operationId: 'createPost',
      status: 201,
      problem: null,
      caller: { kind: 'user', id: ann.id, handle: 'ann' },
    });
    const [check, begin] = trace.statements;
    expect([check!.capability, begin!.text, begin!.transaction]).toEqual(['sessions', 'BEGIN', 1]);
    const insert = trace.statements[inserted.statement]!;
    expect(insert).toMatchObject({ capability: 'posts', rows: 1, transaction: 1, shared: 1, error: null });
    expect(insert.text).toContain('INSERT INTO posts');
    expect(insert.parameters).toContain('list of 1');
  });

  test('a follow, and its end', async () => {
    const { trace } = await traced('PUT', `/v1/follows/${ann.id}`, { as: ben });
    // Of the two people, whoever has the smaller id is counted first.
    const both = ['~user_tallies followers by count_users', '~user_tallies following by count_users'];
    const told = rows(trace);
    expect([told[0], told.slice(1, 3).sort(), told.slice(3)]).toEqual([
      '+follows',
      both,
      ['+notifications by tell', '+notification_acts by tell'],
    ]);
    const { trace: end } = await traced('DELETE', `/v1/follows/${ann.id}`, { as: ben });
    const ended = rows(end);
    expect([ended[0], ended.slice(1, 3).sort()]).toEqual(['-follows', both]);
    expect(ended).toContain('-notifications by end_acts');
    const { trace: again } = await traced('DELETE', `/v1/follows/${ann.id}`, { as: ben });
    expect(rows(again)).toEqual([]);
  });

  test('a reaction, another, and one taken back', async () => {
    const react = (kind: string) => traced('PUT', `/v1/posts/${post}/reaction`, { as: ben, body: { kind } });
    expect(rows((await react('like')).trace)).toEqual([
      '+notifications by tell',
      '+notification_acts by tell',
      '+reactions',
      '~post_tallies reactions by count_reactions',
      '~standings_1 lane_time by stand_1',
      // The first that lifts a post so far.
      '~weightings highest_lift_ms by stand_1',
    ]);
    expect(rows((await react('like')).trace)).toEqual([]);
    const { trace } = await react('dislike');
    expect(trace.rows.find(({ table }) => table === 'reactions')).toMatchObject({
      act: 'changed',
      before: { kind: 'like' },
      after: { kind: 'dislike' },
    });
    const { trace: back } = await traced('DELETE', `/v1/posts/${post}/reaction`, { as: ben });
    expect(rows(back)[0]).toBe('-reactions');
  });

  test('a comment', async () => {
    const { json, trace } = await traced('POST', `/v1/posts/${post}/comments`, {
      as: ben,
      body: { body: 'So are we.' },
    });
    comment = (json as { id: string }).id;
    expect(rows(trace)).toEqual(
      expect.arrayContaining([
        '+comments',
        '~post_tallies comments,comment_people by count_comments',
        '+notifications by tell',
      ]),
    );
    expect(trace.rows.find(({ table }) => table === 'comments')!.after).toMatchObject({
      id: comment,
      author_id: ben.id,
      post_id: post,
    });
  });

  test('an edit, with the version before', async () => {
    const { trace } = await traced('PATCH', `/v1/posts/${post}`, { as: ann, body: { body: 'Up early. #moored' } });
    const edited = trace.rows.find(({ table, act }) => table === 'posts' && act === 'changed')!;
    expect(edited.before).toMatchObject({ body: 'Up early. #mooring', version: 1 });
    expect(edited.after).toMatchObject({ body: 'Up early. #moored', version: 2 });
    expect(edited.changed).toEqual(expect.arrayContaining(['body', 'version', 'edited_at', 'spans']));
    expect(rows(trace)).toEqual(
      expect.arrayContaining(['+post_versions', '-post_hashtags by set_hashtags', '+post_hashtags by set_hashtags']),
    );
  });

  test('a block, which ends follows both ways', async () => {
    await service.call('PUT', `/v1/follows/${ben.id}`, { as: ann });
    const other = await service.user();
    await service.call('PUT', `/v1/follows/${other.id}`, { as: ann });
    const { trace } = await traced('PUT', `/v1/blocks/${other.id}`, { as: ann });
    expect(rows(trace)).toEqual(expect.arrayContaining(['+blocks', '-follows']));
    // Whom somebody blocks is nobody else's business.
    const block = trace.rows.find(({ table }) => table === 'blocks')!;
    expect([block.after, block.key]).toEqual([{ created_at: expect.any(String) }, null]);
    expect(block.masked).toEqual(['blocker_id', 'blocked_id']);
  });

  test('a deletion and what follows from it', async () => {
    const { trace } = await traced('DELETE', `/v1/posts/${post}`, { as: ann });
    expect(rows(trace)).toEqual(
      expect.arrayContaining([
        '-standings_1 by stand_1',
        '~user_tallies posts by count_users',
        '-post_hashtags by set_hashtags',
      ]),
    );
    expect(trace.rows[0]).toMatchObject({
      table: 'posts',
      act: 'changed',
      before: { deleted_at: null },
      after: { removal: 'owner' },
    });
  });

  test('an account that is deleted', async () => {
    const { json } = await service.call<{ id: string }>('POST', '/v1/users', {
      body: { name: 'Going', email: 'going@people.example', password: 'a-long-password' },
    });
    const session = await service.call<{ accessToken: string }>('POST', '/v1/sessions', {
      body: { login: 'going@people.example', password: 'a-long-password' },
    });
    const { status, trace } = await traced('DELETE', `/v1/users/${json.id}`, {
      as: session.json.accessToken,
      body: { password: 'a-long-password' },
    });
    expect(status).toBe(204);
    expect(rows(trace)).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/^~users .*erased_at/),
        '+erasures',
        expect.stringMatching(/^~sessions .*ended_at/),
      ]),
    );
  });

  test('cascades of foreign keys, after the row that takes them along', async () => {
    const { trace } = await traced('POST', '/v1/careless/cascade');
    expect(rows(trace)).toEqual([
      '-crews',
      ...Array.from({ length: 3 }, () => '-barrels by foreign key barrels_crew_id_fkey'),
    ]);
    expect(trace.rows[1]).toMatchObject({ before: { id: 11_000, crew_id: 1 }, after: null, masked: ['secret'] });
  });

  test('what each row brings along by a trigger of its own, at once and at the commit', async () => {
    const by = 'by bring_barrel';
    expect(rows((await traced('POST', '/v1/careless/brought')).trace)).toEqual([
      '+crews',
      `+barrels ${by}`,
      '+crews',
      `+barrels ${by}`,
    ]);
    const { trace } = await traced('POST', '/v1/careless/brought-late');
    expect(rows(trace)).toEqual(['+crews', '+crews', `+barrels ${by}`, `+barrels ${by}`]);
    const texts = trace.rows.map(({ statement }) => trace.statements[statement]!.text);
    expect(texts.map((text) => text.slice(0, 6))).toEqual(['INSERT', 'INSERT', 'COMMIT', 'COMMIT']);
  });

  test('all that one statement does to several tables', async () => {
    const told = rows((await traced('POST', '/v1/careless/at-once')).trace);
    expect(told.sort()).toEqual(['+crews', '-barrels', '~barrels n']);
  });

  test('nothing, where a row was written as it was', async () => {
    expect(rows((await traced('POST', '/v1/careless/as-it-was')).trace)).toEqual([]);
  });
});

describe('a trace', () => {
  test('knows what was rolled back', async () => {
    const { status, trace } = await traced('POST', '/v1/careless/undone');
    expect([status, trace.status, trace.problem]).toEqual([500, 500, 'internal']);
    expect(trace.rows.map(({ undone }) => undone)).toEqual([true]);
    expect(trace.counts).toEqual({});
    expect(trace.statements.map(({ error }) => error)).toEqual([null, null, '23505', null]);
    const half = (await traced('POST', '/v1/careless/half-undone')).trace;
    expect(half.rows.map(({ after, undone }) => [after!.id, undone])).toEqual([
      [4000, false],
      [4001, true],
    ]);
    expect(half.counts.crews!.inserted).toBe(1);
  });

  test('of 10,000 rows keeps some, and counts all', async () => {
    const { trace } = await traced('POST', '/v1/careless/many');
    expect(trace.counts.barrels).toEqual({ inserted: 0, changed: 10_001, deleted: 0 });
    expect(trace.rows.length + trace.moreRows).toBe(10_001);
    expect(trace.rows.length).toBeLessThanOrEqual(200);
    expect(trace.rows[0]).toMatchObject({ before: { n: 0 }, after: { n: 1 }, changed: ['n'] });
  });

  test('of a call that was cut off says so', async () => {
    const call = request(`${service.address}/v1/careless/slow`, { method: 'POST' });
    call.on('error', () => undefined);
    call.end();
    const asleep = `FROM pg_stat_activity WHERE query = 'SELECT pg_sleep(20)' AND state = 'active'`;
    for (;;) {
      const [{ is }] = await service.dataSource.query<[{ is: boolean }]>(`SELECT EXISTS (SELECT ${asleep}) AS is`);
      if (is) break;
    }
    call.destroy();
    const { operatorKey: as } = service;
    for (;;) {
      const { json } = await service.call<{ items: { id: string; status: number | null }[] }>(
        'GET',
        '/v1/operator/traces?route=/v1/careless/slow',
        { as },
      );
      if (json.items.length === 0) continue;
      expect(json.items[0]!.status).toBeNull();
      break;
    }
    await service.dataSource.query(`SELECT pg_cancel_backend(pid) ${asleep}`);
  });

  test('takes up the trace context of who calls', async () => {
    const [trace, parent] = ['0af7651916cd43dd8448eb211c80319c', 'b7ad6b7169203331'];
    const { trace: taken } = await traced('GET', '/v1/about', { headers: { traceparent: `00-${trace}-${parent}-01` } });
    expect([taken.traceId, taken.parentId]).toEqual([trace, parent]);
    const { trace: begun } = await traced('GET', '/v1/about', { headers: { traceparent: 'nonsense' } });
    expect([begun.traceId, begun.parentId]).toEqual([expect.stringMatching(/^[0-9a-f]{32}$/), null]);
  });

  test('passes the trace context on to whoever is asked for the call', async () => {
    const asked: (string | string[] | undefined)[] = [];
    const keys = createServer((call, reply) => {
      asked.push(call.headers.traceparent);
      reply.setHeader('content-type', 'application/json').end(JSON.stringify({ keys: [] }));
    });
    await new Promise<void>((resolve) => keys.listen(0, '127.0.0.1', resolve));
    const { port } = keys.address() as { port: number };
    const issuer = 'https://elsewhere.example';
    const configuration = { signIn: { issuers: [{ issuer, audience: 'us', keys: `http://127.0.0.1:${port}/keys` }] } };
    const other = await startTestService({ ...TRACED, configuration, on: service.database, migrations: [] });
    const part = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
    const token = `${part({ alg: 'RS256', kid: 'one' })}.${part({ iss: issuer, aud: 'us', sub: 'x', exp: 4e9 })}.${part({})}`;
    const trace = '0af7651916cd43dd8448eb211c80319c';
    const { status } = await other.call('GET', '/v1/me', {
      as: token,
      headers: { traceparent: `00-${trace}-b7ad6b7169203331-01` },
    });
    await other.stop();
    await new Promise((resolve) => keys.close(resolve));
    expect([status, asked]).toEqual([
      401,
      [expect.stringMatching(`^00-${trace}-(?!b7ad6b7169203331)[0-9a-f]{16}-01$`)],
    ]);
  });

  test('is made of what is no route, and of who is refused', async () => {
    const { trace } = await traced('GET', '/v1/nowhere/secret%20words');
    expect(trace).toMatchObject({ route: 'no route', path: '/v1/nowhere/•', status: 404, problem: 'not-found' });
    const { trace: refused } = await traced('GET', '/v1/me', { as: 'no-token' });
    expect(refused).toMatchObject({ status: 401, problem: 'bad-token', caller: { kind: 'nobody' } });
  });

  test('of acts that are done together is given to each call, and says so', async () => {
    const { json } = await service.call<{ id: string }>('POST', '/v1/posts', { as: ann, body: { body: 'A rush.' } });
    const crowd = await Promise.all(Array.from({ length: 12 }, () => service.user()));
    const replies = await Promise.all(
      crowd.map((as) => service.call('PUT', `/v1/posts/${json.id}/reaction`, { as, body: { kind: 'like' } })),
    );
    const traces = await Promise.all(replies.map(({ headers }) => traceOf(headers.get('gather-trace'))));
    const batches = traces.map(({ statements }) => statements.find(({ changed }) => changed > 0)!);
    expect(batches.every((batch) => batch?.capability === 'reactions')).toBe(true);
    expect(Math.max(...batches.map(({ shared }) => shared))).toBeGreaterThan(1);
    for (const [i, { rows: changed }] of traces.entries()) {
      const own = changed.filter(({ table, after }) => table === 'reactions' && after!.user_id === crowd[i]!.id);
      expect([i, own.length]).toEqual([i, 1]);
      expect(changed.filter(({ table }) => table === 'reactions')).toHaveLength(batches[i]!.shared);
    }
  });
});

describe('what is not public', () => {
  test('is masked: its column is named, its value was never kept', async () => {
    const { trace } = await traced('POST', '/v1/careless/masked');
    expect(trace.rows[0]).toMatchObject({ changed: ['secret'], masked: ['secret'], after: { id: 20 } });
    expect(trace.rows[0]!.after).not.toHaveProperty('secret');
  });

  test('is in no trace: no password, token, reset link, e-mail, key or text that was sent as a parameter', async () => {
    const [password, email, next] = [`pass-${randomUUID()}`, `${randomUUID()}@people.example`, `next-${randomUUID()}`];
    const { json: user } = await service.call<{ id: string }>('POST', '/v1/users', {
      body: { name: 'Hidden', email, password },
    });
    const signedIn = await service.call<{ accessToken: string; refreshToken: string }>('POST', '/v1/sessions', {
      body: { login: email, password },
    });
    await service.call('POST', '/v1/sessions', { body: { login: email, password: `wrong-${password}` } });
    const renewed = await service.call<{ accessToken: string; refreshToken: string }>('POST', '/v1/sessions/refresh', {
      body: { refreshToken: signedIn.json.refreshToken },
    });
    await service.call('POST', '/v1/password-resets', { body: { email } });
    const mail = async () =>
      (await service.call<{ items: { text: string }[] }>('GET', '/v1/operator/mailbox', { as: service.operatorKey }))
        .json.items[0];
    // It is sent once the answer is out.
    while (!(await mail()));
    const link = /#token=([\w-]+)/.exec((await mail())!.text)![1]!;
    await service.call('GET', `/v1/password-resets/${link}?token=${link}`);
    expect(
      (await service.call('POST', '/v1/password-resets/redeem', { body: { token: link, password: next } })).status,
    ).toBe(204);
    await service.call('GET', `/v1/users?q=${encodeURIComponent(email)}`);
    await service.call('GET', `/v1/users/${encodeURIComponent(email)}`);
    await service.call('DELETE', `/v1/users/${user.id}`, { as: renewed.json.accessToken, body: { password: next } });
    await traced('GET', '/v1/about');
    // Whatever is kept, whole: of every call so far, and what processes tell each other.
    const recorder = service.house.get(Recorder);
    const listed = await recorder.list({ limit: 100_000 });
    const traces = await Promise.all(listed.map(({ id }) => recorder.find(id)));
    const tables = await service.dataSource.query(
      `SELECT (SELECT jsonb_agg(q) FROM trace_questions q), (SELECT jsonb_agg(a) FROM trace_answers a)`,
    );
    const all = JSON.stringify([traces, tables]);
    expect(listed.length).toBeGreaterThan(30);
    const hidden = [
      password,
      email,
      email.split('@')[0]!,
      next,
      link,
      service.operatorKey,
      ...[signedIn, renewed].flatMap(({ json }) => [json.accessToken, json.refreshToken]),
    ];
    expect(hidden.filter((text) => all.includes(text!))).toEqual([]);
  });
});

describe('a reviewer’s words', () => {
  test.each([
    ['repeated', /sent 6 times, once for each row/],
    ['scan', /barrels is read from end to end, all 1[12]\d{3} rows/],
    ['no-limit', /1\d{4} rows came, and nothing limits how many/],
    ['apart', /2 statements write outside the transaction/],
  ])('name what was planted: %s', async (kind, says) => {
    const { trace } = await traced('POST', `/v1/careless/${kind}`);
    const found = trace.warnings.find((warning) => warning.kind === kind);
    expect(found?.says).toMatch(says);
    const { json } = await service.call<{ items: { route: string }[] }>(
      'GET',
      '/v1/operator/traces?warned=true&limit=100',
      { as: service.operatorKey },
    );
    expect(json.items.map(({ route }) => route)).toContain(`/v1/careless/${kind}`);
  });

  test('say nothing of two writes in one transaction, nor of what the service itself does', async () => {
    expect((await traced('POST', '/v1/careless/together')).trace.warnings).toEqual([]);
    const { json } = await traced('POST', '/v1/posts', { as: ann, body: { body: 'As it should be.' } });
    const calls = [
      ['GET', '/v1/feeds/following'],
      ['PATCH', `/v1/posts/${(json as { id: string }).id}`, { body: 'As it should be, once more.' }],
      ['POST', `/v1/posts/${(json as { id: string }).id}/comments`, { body: 'It is.' }],
      ['DELETE', `/v1/posts/${(json as { id: string }).id}`],
    ] as const;
    for (const [method, path, body] of calls) {
      const { trace } = await traced(method, path, { as: ann, ...(body && { body }) });
      expect([method, path, trace.warnings]).toEqual([method, path, []]);
    }
  });
});

describe('the list', () => {
  const list = async (query: string) =>
    (
      await service.call<{
        items: {
          id: string;
          startedAt: string;
          method: string;
          status: number | null;
          caller: { handle: string | null };
          rows: number;
        }[];
        next: string | null;
      }>('GET', `/v1/operator/traces?${query}`, { as: service.operatorKey })
    ).json;

  test('is chosen by method, route, caller, status and rows, and read page by page', async () => {
    await service.call('GET', '/v1/me', { as: ben });
    await service.call('GET', '/v1/me');
    const { items } = await list('route=/v1/me&limit=100');
    expect(items.map(({ status, caller }) => [status, caller.handle])).toEqual(
      expect.arrayContaining([
        [200, 'ben'],
        [401, null],
      ]),
    );
    expect((await list('route=/v1/me&status=4xx')).items.every(({ status }) => status === 401)).toBe(true);
    expect(
      (await list('caller=@ben&method=GET')).items.every(
        ({ caller, method }) => caller.handle === 'ben' && method === 'GET',
      ),
    ).toBe(true);
    expect((await list('minRows=5')).items.every(({ rows: n }) => n >= 5)).toBe(true);
    const first = await list('limit=3');
    const second = await list(`limit=3&after=${first.next}`);
    const ids = [...first.items, ...second.items].map(({ id }) => id);
    expect(new Set(ids).size).toBe(6);
    const times = [...first.items, ...second.items].map(({ startedAt }) => startedAt);
    expect([...times].sort().reverse()).toEqual(times);
    expect((await service.call('GET', '/v1/operator/traces?status=nine', { as: service.operatorKey })).status).toBe(
      400,
    );
    expect((await service.call('GET', '/v1/operator/traces', { as: ann })).status).toBe(403);
  });

  test('has figures by route, and the statements that took longest', async () => {
    const { json } = await service.call<{
      calls: number;
      parts: { calls: number }[];
      routes: { route: string; method: string; calls: number; p50: number; p99: number }[];
      statements: { from: string; items: { text: string; calls: number }[] };
    }>('GET', '/v1/operator/activity?seconds=3600', { as: service.operatorKey });
    expect(json.parts).toHaveLength(30);
    expect(json.parts.reduce((sum, { calls }) => sum + calls, 0)).toBe(json.calls);
    const post = json.routes.find(({ method, route }) => method === 'POST' && route === '/v1/posts')!;
    expect(post.p99).toBeGreaterThanOrEqual(post.p50);
    expect(json.routes.reduce((sum, { calls }) => sum + calls, 0)).toBe(json.calls);
    expect(json.statements.from).toBe('traces');
    expect(json.statements.items.map(({ text }) => text)).toContain('SELECT id FROM barrels ORDER BY id');
  });
});

describe('of several processes', () => {
  test('each finds the traces of all, and keeps only so many of its own', async () => {
    const environment = { ...TRACED.environment, GATHER_LANE_TRACES_CALLS: '10' };
    const second = await startTestService({ ...TRACED, environment, on: service.database, migrations: [] });
    try {
      const reply = await second.call('GET', '/v1/about');
      const id = reply.headers.get('gather-trace');
      // Asked of the process that did not make it, once both have said that they are there.
      const peers = async () => (await service.dataSource.query<unknown[]>(`SELECT FROM trace_processes`)).length;
      while ((await peers()) < 2);
      expect((await traceOf(id)).id).toBe(id);
      for (let n = 0; n < 25; n++) await second.call('GET', '/v1/about');
      expect((await service.call('GET', `/v1/operator/traces/${id}`, { as: service.operatorKey })).status).toBe(404);
      const { json } = await second.call<{ items: { id: string }[] }>('GET', '/v1/operator/traces?limit=100', {
        as: second.operatorKey,
      });
      const here = await service.call<{ items: { id: string }[] }>('GET', '/v1/operator/traces?limit=100', {
        as: service.operatorKey,
      });
      expect(json.items.map((call) => call.id)).toEqual(here.json.items.map((call) => call.id));
      expect(second.house.get(Recorder).peers.id).not.toBe(service.house.get(Recorder).peers.id);
    } finally {
      await second.stop();
    }
    // Nobody waits for a process that has ended.
    expect(await service.dataSource.query(`SELECT id FROM trace_processes`)).toEqual([
      { id: service.house.get(Recorder).peers.id },
    ]);
  });

  test('one that traces nothing says nothing, and tells how to have it', async () => {
    const silent = await startTestService({ on: service.database, capabilities, environment: {} });
    try {
      const reply = await silent.call('GET', '/v1/about');
      expect(reply.headers.get('gather-trace')).toBeNull();
      const { status, json } = await silent.call('GET', '/v1/operator/traces', { as: silent.operatorKey });
      expect([status, (json as { detail: string }).detail]).toEqual([409, expect.stringContaining('`traces.on`')]);
      expect(
        (
          await silent.call('POST', '/v1/operator/calls', {
            as: silent.operatorKey,
            body: { method: 'GET', path: '/v1/about', callers: [{ as: 'nobody' }] },
          })
        ).status,
      ).toBe(409);
    } finally {
      await silent.stop();
    }
  });
});
