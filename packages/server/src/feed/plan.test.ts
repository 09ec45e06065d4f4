import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { allSteps, readPlan, type ExplainNode, type PlanStep } from '@gather-lane/core';
import pg from 'pg';
import { fill } from '../workbench/fill/load.js';
import { addFollows } from '../tests/graph.js';
import { startTestService, type TestService } from '../tests/test-service.js';
import { feedPage, SWEEP_FACTOR } from './queries.js';
import { PLAN } from '../service/capabilities.js';

const LIMIT = 21;
const FOLLOWS = [20, 200, 1_500];

let service: TestService;
let viewers: { id: string; follows: number }[];
beforeAll(async () => {
  service = await startTestService({ demo: true });
  await fill(
    service.dataSource,
    {
      users: 2_000,
      posts: 40_000,
      follows: 20_000,
      comments: 2_000,
      reactions: 4_000,
      kinds: ['like'],
      days: 60,
      seed: 2,
    },
    { plan: PLAN, amongReal: false, model: [], progress: () => undefined },
  );
  viewers = [];
  for (const follows of FOLLOWS) {
    const { id } = await service.user(`follows_${follows}`);
    const rows = await service.dataSource.query<{ id: string }[]>(
      `SELECT user_id AS id FROM user_tallies WHERE posts > 0 ORDER BY md5(user_id::text) LIMIT $1`,
      [follows],
    );
    await addFollows(
      service,
      id,
      rows.map((row) => row.id),
    );
    viewers.push({ id, follows });
  }
  // As many mutes and drops as there would be: a table of a page or two is read through by right.
  await service.dataSource.query(
    `INSERT INTO mutes (muter_id, muted_id) SELECT a.id, b.id FROM (SELECT id FROM users LIMIT 200) a, (SELECT id FROM users OFFSET 300 LIMIT 200) b ON CONFLICT DO NOTHING`,
  );
  await service.dataSource.query(
    `INSERT INTO standing_drops (post_id, xid, from_lane_time) SELECT id, '5', created_at FROM posts LIMIT 20000`,
  );
  for (const table of ['follows', 'mutes', 'standing_drops', 'user_tallies', 'users'])
    await service.dataSource.query(`VACUUM (ANALYZE) ${table}`);
}, 120_000);
afterAll(() => service.stop());

/** The plan of a page as the service runs it: prepared, planned once for all callers. */
async function planOf(order: 'recent' | 'score', viewer: string, mode: string, deep: boolean): Promise<PlanStep> {
  const client = new pg.Client(service.database);
  await client.connect();
  try {
    await client.query(`SET plan_cache_mode = ${mode}`);
    const types = '(uuid, boolean, timestamptz, uuid, bigint, text)';
    await client.query(`PREPARE page ${types} AS ${feedPage(order, 1)}`);
    const at = deep ? `now() - interval '20 days'` : `'infinity'`;
    const sql = `EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) EXECUTE page ('${viewer}', true, ${at}, 'ffffffff-ffff-ffff-ffff-ffffffffffff', ${LIMIT}, '1:1:')`;
    const { rows } = await client.query<{ 'QUERY PLAN': [{ Plan: ExplainNode }] }>(sql);
    return readPlan(rows[0]!['QUERY PLAN'][0].Plan);
  } finally {
    await client.end();
  }
}

describe.each(FOLLOWS)('the plan of a page of who follows %i, over 40,000 posts', (follows) => {
  for (const order of ['recent', 'score'] as const)
    for (const deep of [false, true])
      for (const mode of ['force_custom_plan', 'force_generic_plan'])
        test(`order=${order}, ${deep ? 'deep' : 'first page'}, ${mode}: probes indexes, and reads no more than a page needs`, async () => {
          const { id } = viewers.find((viewer) => viewer.follows === follows)!;
          const steps = allSteps(await planOf(order, id, mode, deep));
          const ran = steps.filter(({ loops }) => loops > 0);
          // No table is read through; what is set-tested or counted comes by its index.
          expect(ran.filter(({ does }) => /^(Seq|Sample) Scan/.test(does)).map(({ does }) => does)).toEqual([]);
          // Nothing sorts more than the candidates of a page: a head of each followee at most.
          for (const { does, rows } of ran.filter(({ does }) => /Sort/.test(does)))
            expect([does, rows <= follows + LIMIT]).toEqual([does, true]);
          // Posts and standings are read by the sweep's share of the index, and by probes that stop at a page.
          for (const { does, rows, loops, removed } of ran.filter(({ does }) =>
            /Scan (Backward )?on (posts|standings)_/.test(does),
          )) {
            expect([does, rows / loops <= Math.max(LIMIT, SWEEP_FACTOR * (follows + 1))]).toEqual([does, true]);
            expect([does, removed / loops < 5]).toEqual([does, true]);
            if (loops > 1) expect([does, rows / loops <= LIMIT]).toEqual([does, true]);
          }
        });
});
