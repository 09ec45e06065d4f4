import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { checkData } from '../check/service.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { empty, fill, type FillOrder, type FillProgress } from './load.js';
import { PLAN } from '../../service/capabilities.js';

const order: FillOrder = {
  users: 150,
  posts: 4_500,
  follows: 1_500,
  comments: 1_500,
  reactions: 3_000,
  kinds: ['like', 'dislike'],
  days: 20,
  seed: 5,
};
const quiet = { plan: PLAN, amongReal: false, model: [], progress: () => undefined };

let service: TestService;
beforeEach(async () => {
  service = await startTestService({ demo: true });
});
afterEach(() => service.stop());

const counts = async () => {
  const tables = ['users', 'credentials', 'follows', 'posts', 'comments', 'standings', 'post_tallies'];
  const found: Record<string, number> = {};
  for (const table of tables)
    found[table] = (
      await service.dataSource.query<[{ n: number }]>(`SELECT count(*)::integer AS n FROM ${table}`)
    )[0].n;
  return found;
};
const wrong = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })).filter(
    (finding) => finding.count > 0,
  );

describe('fill', () => {
  test('loads what was asked, says what came in, and leaves every tally and standing right', async () => {
    const seen: FillProgress[] = [];
    const { rows } = await fill(service.dataSource, order, {
      plan: PLAN,
      amongReal: false,
      model: [],
      progress: (at) => seen.push(at),
    });
    expect(await counts()).toMatchObject({
      users: 150,
      credentials: 150,
      posts: 4_500,
      standings: 4_500,
      follows: rows.follows,
      comments: rows.comments,
    });
    const last = seen.pop()!;
    expect(last).toEqual({ ...seen.at(-1), phase: 'vacuum and statistics' });
    expect(seen.map((at) => at.batch)).toEqual(seen.map((_, i) => i + 1));
    expect(last.batch).toBe(last.batches);
    expect(await wrong()).toEqual([]);
    // The people made can be called by the API like any others.
    const { json } = await service.call<{ items: { handle: string }[] }>('GET', '/v1/users?limit=1');
    const session = await service.call('POST', '/v1/sessions', {
      body: { login: json.items[0]!.handle, password: 'tidewick-demo' },
    });
    expect(session.status).toBe(201);
  });

  test('interrupted, it leaves whole batches; --again goes on to the same end', async () => {
    class Interrupted extends Error {}
    const stopAt = (batch: number) => ({
      plan: PLAN,
      amongReal: false,
      model: [],
      progress: (at: FillProgress) => {
        if (at.batch === batch) throw new Interrupted();
      },
    });
    await expect(fill(service.dataSource, order, stopAt(3))).rejects.toThrow(Interrupted);
    const [run] = await service.dataSource.query<{ done: number; batches: number }[]>(
      `SELECT done, batches FROM fill_runs`,
    );
    expect(run!.done).toBe(3);
    expect(run!.batches).toBeGreaterThan(3);
    const half = await counts();
    expect(half.posts! % 4_000).toBe(0);
    expect(await wrong()).toEqual([]);
    await service.dataSource.query(`CREATE TABLE kept_run AS SELECT * FROM fill_runs`);
    await fill(service.dataSource, 'again', quiet);
    const resumed = await counts();
    expect(resumed).toMatchObject({ users: 150, posts: 4_500 });
    const bodies = await service.dataSource.query<{ body: string }[]>(`SELECT body FROM posts ORDER BY id`);

    await empty(service.dataSource, { plan: PLAN, amongReal: false });
    // The same run from its first batch on: another one would begin at another instant, and so make other rows.
    await service.dataSource.query(`INSERT INTO fill_runs OVERRIDING SYSTEM VALUE SELECT * FROM kept_run`);
    await service.dataSource.query(`UPDATE fill_runs SET done = 0`);
    await service.dataSource.query(`DROP TABLE kept_run`);
    await fill(service.dataSource, 'again', quiet);
    expect(await counts()).toEqual(resumed);
    expect(await service.dataSource.query(`SELECT body FROM posts ORDER BY id`)).toEqual(bodies);
    await expect(fill(service.dataSource, 'again', quiet)).rejects.toThrow('no interrupted fill');
  });

  test('stopped while the next follows are copied, it keeps nothing of these; --again goes on to the right counts', async () => {
    const many = { ...order, users: 2_100, follows: 45_000, posts: 0, comments: 0, reactions: 0 };
    let stoppedAt = 0;
    const stop = ({ phase, batch }: FillProgress) => {
      if (phase !== 'follows') return;
      stoppedAt = batch;
      throw new Error('stopped');
    };
    await expect(fill(service.dataSource, many, { ...quiet, progress: stop })).rejects.toThrow('stopped');
    const [run] = await service.dataSource.query<{ done: number; batches: number }[]>(
      `SELECT done, batches FROM fill_runs`,
    );
    expect(run!.done).toBe(stoppedAt);
    expect(run!.batches).toBeGreaterThan(stoppedAt);
    const { follows } = await counts();
    expect(await wrong()).toEqual([]);
    const { rows } = await fill(service.dataSource, 'again', quiet);
    expect(await counts()).toMatchObject({ users: 2_100, credentials: 2_100, follows: follows! + rows.follows! });
    expect(await wrong()).toEqual([]);
  });

  test('a batch that fails leaves nothing of itself', async () => {
    await service.dataSource.query(`ALTER TABLE comments ADD CONSTRAINT broken CHECK (false) NOT VALID`);
    await expect(fill(service.dataSource, order, quiet)).rejects.toThrow('broken');
    expect(await counts()).toMatchObject({ users: 150, posts: 0, comments: 0 });
    await service.dataSource.query(`ALTER TABLE comments DROP CONSTRAINT broken`);
    await fill(service.dataSource, 'again', quiet);
    expect(await counts()).toMatchObject({ posts: 4_500 });
  });

  test('run again it adds; without users those who are there post', async () => {
    await fill(service.dataSource, { ...order, posts: 100 }, quiet);
    await fill(service.dataSource, { ...order, posts: 100 }, quiet);
    await fill(service.dataSource, { ...order, users: 0, follows: 0, posts: 50 }, quiet);
    expect(await counts()).toMatchObject({ users: 300, posts: 250 });
    expect(await wrong()).toEqual([]);
  });

  test('two at once, nobody to post, and real accounts are refused', async () => {
    const nobody = fill(service.dataSource, { ...order, users: 0 }, quiet);
    await expect(nobody).rejects.toThrow('nobody who could post');
    expect(await service.dataSource.query(`SELECT FROM fill_runs`)).toEqual([]);
    const [first, second] = await Promise.allSettled([
      fill(service.dataSource, { ...order, posts: 10 }, quiet),
      fill(service.dataSource, { ...order, posts: 10 }, quiet),
    ]);
    expect([first.status, second.status].sort()).toEqual(['fulfilled', 'rejected']);
    await service.call('POST', '/v1/users', {
      body: { name: 'Real', email: 'real@cut.example', password: 'a real password' },
    });
    await expect(fill(service.dataSource, order, quiet)).rejects.toThrow(/1 account that nobody made up.*--among-real/);
    await expect(empty(service.dataSource, { plan: PLAN, amongReal: false })).rejects.toThrow('nobody made up');
    expect(await counts()).toMatchObject({ users: 151 });
    await fill(service.dataSource, { ...order, posts: 10 }, { ...quiet, amongReal: true });
    await empty(service.dataSource, { plan: PLAN, amongReal: true });
    expect(Object.values(await counts())).toEqual([0, 0, 0, 0, 0, 0, 0]);
    expect((await service.call('GET', '/v1/operator/stats', { as: service.operatorKey })).status).toBe(200);
  });
});

test('own fields are filled from their rules and makers, also over several runs, and checked by the same rules', async () => {
  const own = await startTestService({
    model: {
      users: {
        fields: {
          mooring: { type: 'string', maxLength: 30, required: true, fill: 'place' },
          call: { type: 'string', maxLength: 20, unique: true, required: true },
          friend: { references: 'users' },
        },
      },
      posts: {
        fields: {
          plate: { type: 'string', pattern: '^[A-Z]{2}-[0-9]{3}$', maxLength: 6 },
          at: { type: 'string', format: 'date-time' },
        },
      },
      comments: { fields: { tone: { type: 'string', enum: ['kind', `it's`, 'a\\tb'] } } },
    },
  });
  const { model } = own.house.config;
  const options = { plan: PLAN, amongReal: false, model, progress: () => undefined };
  await fill(own.dataSource, { ...order, users: 300, posts: 400, comments: 400 }, options);
  await fill(own.dataSource, { ...order, users: 50, posts: 50 }, options);
  const check = async () =>
    (await checkData(own.dataSource, { plan: PLAN, repair: false, model, progress: () => undefined })).filter(
      ({ count }) => count > 0,
    );
  expect(await check()).toEqual([]);
  const [filled] = await own.dataSource.query<Record<string, number>[]>(
    `SELECT count(DISTINCT f_call)::integer AS calls, count(f_friend)::integer AS friends, (SELECT count(f_plate)::integer FROM posts) AS plates FROM users`,
  );
  expect(filled!.calls).toBe(350);
  expect(filled!.friends).toBeGreaterThan(200);
  expect(filled!.plates).toBeGreaterThan(250);

  await own.dataSource.query(`ALTER TABLE comments DROP CONSTRAINT comments_f_tone_rule`);
  await own.dataSource.query(`UPDATE comments SET f_tone = 'rude' WHERE id = (SELECT id FROM comments LIMIT 1)`);
  await own.dataSource.query(`UPDATE posts SET f_plate = 'ab-1' WHERE id IN (SELECT id FROM posts LIMIT 5)`);
  expect((await check()).map(({ name, count, examples }) => [name, count, examples[0]!.found])).toEqual([
    ['posts.plate-pattern', 5, 'ab-1'],
    ['comments.tone-rule', 1, 'rude'],
  ]);
  const few = [{ ...model[1]!, kind: 'integer' as const, rule: { maximum: 3 } }];
  await expect(fill(own.dataSource, order, { ...options, model: few })).rejects.toThrow('gather-lane model migrate');
  await own.stop();
});
