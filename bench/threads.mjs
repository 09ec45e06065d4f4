// Pages of one large conversation: 20,000 comments, a fifth of them at the top, some deleted. Each statement in the database alone.
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { percentiles } from './load.mjs';
import { printTable } from './table.mjs';

const COMMENTS = 20_000;
const ROUNDS = 15;
const BODY = 'A comment of a large conversation.';
/** Level, order, comments of a page, first replies of each. */
const PAGES = [
  ['place', 'oldest', 21, 0],
  ['place', 'oldest', 21, 3],
  ['place', 'oldest', 101, 5],
  ['place', 'liveliest', 21, 3],
  ['all', 'newest', 21, 0],
];

/** @returns the most milliseconds of a page of 21, and of one of 101 with five replies each */
export async function benchThreads() {
  const { pageOfComments } = await import(join(root, 'packages/server/dist/posts/comments/page-queries.js'));
  const data = await openData('small');
  const { dataSource } = data;
  try {
    const post = await converse(dataSource);
    const viewer = data.viewers.random[0].id;
    const rows = [];
    for (const [level, sort, limit, replies] of PAGES) {
      const sql = pageOfComments(level, sort);
      const spent = [];
      for (let round = 0; round < ROUNDS; round++) {
        const parameters = [post, null, null, limit, viewer, replies];
        const [{ 'QUERY PLAN': plan }] = await dataSource.query(
          `EXPLAIN (ANALYZE, TIMING OFF, FORMAT JSON) ${sql}`,
          parameters,
        );
        spent.push(plan[0]['Execution Time']);
      }
      const { p50 } = percentiles(spent.slice(2));
      rows.push({ name: `${level}, ${sort}, ${limit} and ${replies} replies each`, limit, p50 });
    }
    printTable(
      `Milliseconds for a page of a conversation of ${COMMENTS.toLocaleString('en-GB')} comments`,
      ['page', 'ms'],
      rows.map(({ name, p50 }) => [name, p50.toFixed(2)]),
    );
    const most = (limit) => Math.max(...rows.filter((row) => row.limit === limit).map(({ p50 }) => p50));
    return { of21: most(21), of101: most(101) };
  } finally {
    await data.close();
  }
}

/** Makes the conversation, once. */
async function converse(dataSource) {
  const [there] = await dataSource.query(`SELECT post_id FROM comments WHERE body = $1 LIMIT 1`, [BODY]);
  if (there) return there.post_id;
  const [{ id: post }] = await dataSource.query(`SELECT id FROM posts ORDER BY id LIMIT 1`);
  const make = (from, to, under) =>
    dataSource.query(
      `INSERT INTO comments (id, post_id, author_id, body, created_at, parent_id, under_id, depth)
       SELECT gen_random_uuid(), $1, (SELECT id FROM users OFFSET n % 500 LIMIT 1), $2, now() - (${COMMENTS} - n) * interval '1 second', p.id, p.id, ${under ? 1 : 0}
       FROM generate_series($3::integer, $4::integer) n LEFT JOIN LATERAL (
         SELECT id FROM unnest($5::uuid[]) WITH ORDINALITY AS t (id, i) WHERE i = 1 + n % greatest(1, cardinality($5::uuid[]))) p ON true`,
      [post, BODY, from, to, under ?? []],
    );
  const top = COMMENTS / 5;
  await make(1, top, null);
  const tops = (await dataSource.query(`SELECT id FROM comments WHERE body = $1 ORDER BY id LIMIT 400`, [BODY])).map(
    ({ id }) => id,
  );
  for (let n = top; n < COMMENTS; n += 2_000) await make(n + 1, n + 2_000, tops);
  await dataSource.query(
    `UPDATE comments SET deleted_at = now(), removal = 'owner' WHERE body = $1 AND get_byte(uuid_send(id), 0) % 5 = 0`,
    [BODY],
  );
  await dataSource.query(`VACUUM (ANALYZE) comments, comment_tallies, comment_people`);
  return post;
}
