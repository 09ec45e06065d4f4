import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import {
  allSteps,
  makeSieve,
  readPlan,
  SWEEP_ENTRIES,
  type ExplainNode,
  type FindWay,
  type NewerWay,
  type PlanStep,
} from '@gather-lane/core';
import pg from 'pg';
import { fill } from '../workbench/fill/load.js';
import { addFollows } from '../tests/graph.js';
import { startTestService, type TestService } from '../tests/test-service.js';
import { feedPage, followsOf } from './page-queries.js';
import { parametersOf } from './finding.js';
import { feedNewer, sieveParameters, type NewerRow } from './newer-queries.js';
import { readSieve } from './sieves.js';
import { PLAN } from '../service/capabilities.js';

const LIMIT = 21;
const FOLLOWS = ['20', '200', '1,000', '5,000', 'as many as a random one'];

let service: TestService;
interface Viewer {
  readonly name: string;
  readonly id: string;
  readonly follows: number;
}
let viewers: Viewer[];
beforeAll(async () => {
  service = await startTestService({ demo: true });
  await fill(
    service.dataSource,
    {
      users: 6_000,
      posts: 40_000,
      follows: 60_000,
      comments: 2_000,
      reactions: 4_000,
      kinds: ['like'],
      days: 60,
      seed: 2,
    },
    { plan: PLAN, amongReal: false, model: [], progress: () => undefined },
  );
  viewers = [];
  const authors = await service.dataSource.query<{ id: string }[]>(
    `SELECT user_id AS id FROM user_tallies WHERE posts > 0 ORDER BY md5(user_id::text)`,
  );
  for (const name of FOLLOWS.slice(0, -1)) {
    const { id } = await service.user(`follows_${name.replace(',', '')}`);
    const followed = authors.slice(0, Number(name.replace(',', '')));
    await addFollows(
      service,
      id,
      followed.map((row) => row.id),
    );
    viewers.push({ name, id, follows: followed.length });
  }
  const [random] = await service.dataSource.query<[{ id: string; follows: number }]>(
    `SELECT t.user_id AS id, t.following AS follows FROM user_tallies t
     WHERE t.following > 5 AND (SELECT sum(p.posts) FROM follows f JOIN user_tallies p ON p.user_id = f.followee_id WHERE f.follower_id = t.user_id) >= 60
     ORDER BY md5(t.user_id::text) LIMIT 1`,
  );
  viewers.push({ name: FOLLOWS.at(-1)!, ...random });
  // As many mutes and drops as there would be: a table of a page or two is read through by right.
  await service.dataSource.query(
    `INSERT INTO mutes (muter_id, muted_id) SELECT a.id, b.id FROM (SELECT id FROM users LIMIT 200) a, (SELECT id FROM users OFFSET 300 LIMIT 200) b ON CONFLICT DO NOTHING`,
  );
  await service.dataSource.query(
    `INSERT INTO standing_drops (post_id, xid, from_lane_time) SELECT id, '5', created_at FROM posts LIMIT 20000`,
  );
  await service.dataSource.query(
    `INSERT INTO post_watches (post_id, user_id) SELECT id, author_id FROM posts ON CONFLICT DO NOTHING`,
  );
  for (const table of ['follows', 'mutes', 'standing_drops', 'user_tallies', 'users', 'posts', 'post_watches'])
    await service.dataSource.query(`VACUUM (ANALYZE) ${table}`);
}, 120_000);
afterAll(() => service.stop());

/** What a way takes beside, as types. */
const MORE_TYPES: Record<FindWay, string> = {
  window: ', timestamptz',
  sieve: ', bytea, integer',
  sweep: '',
  probe: '',
  heads: '',
};

/** A sieve of whom a viewer follows, as further parameters. */
async function sieveOf(viewer: string): Promise<string> {
  const { hashes, state } = (await readSieve(service.dataSource)(viewer))!;
  const { bits, mask } = makeSieve(hashes, state);
  return `, '\\x${Buffer.from(bits).toString('hex')}', ${mask}`;
}

/** The plan of a statement as the service runs it: prepared, planned once for all callers. */
async function planAs(mode: string, types: string, sql: string, parameters: string): Promise<PlanStep> {
  const client = new pg.Client(service.database);
  await client.connect();
  try {
    await client.query(`SET plan_cache_mode = ${mode}`);
    await client.query(`PREPARE asked (${types}) AS ${sql}`);
    const { rows } = await client.query<{ 'QUERY PLAN': [{ Plan: ExplainNode }] }>(
      `EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) EXECUTE asked (${parameters})`,
    );
    return readPlan(rows[0]!['QUERY PLAN'][0].Plan);
  } finally {
    await client.end();
  }
}

/** That of a page. */
async function planOf(
  way: FindWay,
  order: 'recent' | 'score',
  viewer: string,
  mode: string,
  deep: boolean,
): Promise<PlanStep> {
  const [at, floor] = stretch(deep).map((instant) => `'${instant}'`);
  return planAs(
    mode,
    `uuid, boolean, timestamptz, uuid, bigint, text, uuid, uuid${MORE_TYPES[way]}`,
    feedPage([])(way, order, 1, true),
    `'${viewer}', true, ${at}, 'ffffffff-ffff-ffff-ffff-ffffffffffff', ${LIMIT}, '1:1:', NULL, NULL${way === 'window' ? `, ${floor}` : way === 'sieve' ? await sieveOf(viewer) : ''}`,
  );
}

/** Where a cursor stands, and the floor of a window below it. */
const stretch = (deep: boolean): [string, string] => {
  const daysAgo = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString();
  return deep ? [daysAgo(20), daysAgo(23)] : ['infinity', daysAgo(3)];
};

/** How many entries of the order's index a way may read at once: the walk, what it asks of an author, or what the window holds. */
async function mostEntries(way: FindWay, order: 'recent' | 'score', deep: boolean, viewer: Viewer): Promise<number> {
  const walked = SWEEP_ENTRIES * (viewer.follows + 1);
  if (way !== 'window') return { heads: LIMIT, sweep: walked, sieve: walked, probe: viewer.follows / 2 }[way];
  const [from, key] =
    order === 'recent' ? ['posts', 'deleted_at IS NULL AND created_at'] : ['standings_1', 'lane_time'];
  const [row] = await service.dataSource.query<[{ n: number }]>(
    `SELECT count(*)::integer AS n FROM ${from}
     WHERE (author_id = $1 OR author_id IN (SELECT followee_id FROM follows WHERE follower_id = $1)) AND ${key} BETWEEN $3 AND $2`,
    [viewer.id, ...stretch(deep)],
  );
  return row.n + 1;
}

describe.each(FOLLOWS)('the plan of a page of who follows %s, over 40,000 posts', (follows) => {
  for (const way of ['window', 'sweep', 'probe', 'sieve', 'heads'] as const)
    for (const order of ['recent', 'score'] as const)
      for (const deep of [false, true])
        for (const mode of ['force_custom_plan', 'force_generic_plan'])
          test(`by ${way}, order=${order}, ${deep ? 'deep' : 'first page'}, ${mode}: probes indexes, and reads no more than a page needs`, async () => {
            const viewer = viewers.find((each) => each.name === follows)!;
            const steps = allSteps(await planOf(way, order, viewer.id, mode, deep));
            const ran = steps.filter(({ loops }) => loops > 0);
            // No table is read through; what is set-tested or counted comes by its index.
            expect(ran.filter(({ does }) => /^(Seq|Sample) Scan/.test(does)).map(({ does }) => does)).toEqual([]);
            // The order of the walk is that of its index: nothing joins or sorts before the page is full, and no set spills.
            expect(ran.filter(({ does }) => /(Hash|Merge) Join|Hash$/.test(does)).map(({ does }) => does)).toEqual([]);
            const most = await mostEntries(way, order, deep, viewer);
            const sorted = way === 'window' ? Math.max(LIMIT, most) : viewer.follows + LIMIT;
            for (const { does, rows } of ran.filter(({ does }) => /Sort/.test(does)))
              expect([does, rows <= sorted]).toEqual([does, true]);
            for (const { does, rows, loops, removed } of ran.filter(({ does }) =>
              /Scan (Backward )?on (posts|standings)_/.test(does),
            )) {
              expect([does, rows / loops <= Math.max(LIMIT, most)]).toEqual([does, true]);
              expect([does, removed / loops < 5]).toEqual([does, true]);
              if (loops > 1) expect([does, rows / loops <= LIMIT]).toEqual([does, true]);
            }
            // What a page shows is read for its posts alone, by their keys.
            for (const { does, loops } of ran.filter(({ does }) =>
              /on (post_tallies|reactions|post_watches|users)/.test(does),
            ))
              expect([does, loops <= LIMIT]).toEqual([does, true]);
          });
});

test('finds the same page by each way that fills it', async () => {
  for (const { id } of viewers) {
    const { hashes, state } = (await readSieve(service.dataSource)(id))!;
    const steps = {
      window: { way: 'window', floor: Date.now() - 100 * 86_400_000 },
      heads: { way: 'heads' },
      sweep: { way: 'sweep' },
      probe: { way: 'probe' },
      sieve: { way: 'sieve', sieve: makeSieve(hashes, state) },
    } as const;
    for (const order of ['recent', 'score'] as const) {
      const found = [];
      for (const way of ['window', 'heads', 'sweep', 'probe', 'sieve'] as const) {
        const rows = await service.dataSource.query<{ found: string }[]>(feedPage([])(way, order, 1, false), [
          ...[id, true, 'infinity', 'ffffffff-ffff-ffff-ffff-ffffffffffff', LIMIT, null, null, null],
          ...parametersOf(steps[way]),
        ]);
        if (way === 'window') expect(rows).toHaveLength(LIMIT);
        if (rows.length === LIMIT) found.push(rows.map((row) => row.found).join(' '));
      }
      expect(found.length).toBeGreaterThanOrEqual(2);
      expect(new Set(found).size).toBe(1);
    }
  }
});

describe('what is newer, over 40,000 posts', () => {
  const NOBODY = '00000000-0000-0000-0000-000000000000';
  /** Marks from just now back to where everybody has made more than is counted. */
  const MARKS = [0.01, 0.5, 5, 30].map((days) => new Date(Date.now() - days * 86_400_000).toISOString());
  const ofFeed = (order: 'recent' | 'score') =>
    `${order === 'recent' ? 'FROM posts t WHERE deleted_at IS NULL AND created_at' : 'FROM standings_1 t WHERE lane_time'} > $2
     AND (author_id = $1 OR author_id IN (SELECT followee_id FROM follows WHERE follower_id = $1
       EXCEPT SELECT muted_id FROM mutes WHERE muter_id = $1))`;

  test('is counted the same by each way, up to a hundred', async () => {
    const gaveUp = new Set<boolean>();
    for (const { id } of viewers) {
      const { hashes, state } = (await readSieve(service.dataSource)(id))!;
      const sieve = makeSieve(hashes, state);
      for (const order of ['recent', 'score'] as const)
        for (const mark of MARKS) {
          const [plain] = await service.dataSource.query<[{ n: number }]>(
            `SELECT count(*)::integer AS n ${ofFeed(order)}`,
            [id, mark],
          );
          for (const step of [{ way: 'authors' }, { way: 'walk' }, { way: 'sieve', sieve }] as const) {
            const [row] = await service.dataSource.query<[NewerRow]>(feedNewer(step.way, order, 1), [
              ...[id, true, mark, NOBODY, MARKS[1], null, null],
              ...sieveParameters(step),
            ]);
            const found = row.new + row.risen;
            if (step.way === 'sieve') {
              const told = row.follows && followsOf(row.follows).state;
              expect([state, null]).toContain(told);
              gaveUp.add(told === null);
            }
            if (step.way !== 'sieve' || row.follows !== null)
              expect([step.way, found]).toEqual([step.way, Math.min(100, plain.n)]);
          }
        }
    }
    expect(gaveUp).toEqual(new Set([true, false]));
  });

  for (const way of ['authors', 'sieve', 'walk'] as const satisfies readonly NewerWay[])
    for (const order of ['recent', 'score'] as const)
      test.each(['force_custom_plan', 'force_generic_plan'])(
        `is found by ${way} in the indexes alone, order=${order}, %s`,
        async (mode) => {
          for (const { id, follows } of viewers) {
            const plan = await planAs(
              mode,
              `uuid, boolean, timestamptz, uuid, timestamptz, uuid, uuid${way === 'sieve' ? ', bytea, integer' : ''}`,
              feedNewer(way, order, 1),
              `'${id}', true, '${MARKS[0]}', '${NOBODY}', '${MARKS[0]}', NULL, NULL${way === 'sieve' ? await sieveOf(id) : ''}`,
            );
            const ran = allSteps(plan).filter(({ loops }) => loops > 0);
            expect(
              ran.filter(({ does }) => /^(Seq|Sample) Scan on (posts|standings|follows|mutes|user)/.test(does)),
            ).toEqual([]);
            // Where that is less than to ask each author, all above the mark is read.
            for (const { does, rows, loops, removed } of ran.filter(({ does }) => /on (posts|standings)_/.test(does)))
              expect([does, (rows + removed) / loops <= Math.max(200, 4 * follows)]).toEqual([does, true]);
          }
        },
      );
});
