import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { makeDatabase } from '../../tests/test-database.js';

/** What auto_explain tells of a statement, and of those that triggers and functions ran for it. */
interface PlanNode {
  readonly 'Actual Rows': number;
  readonly 'Actual Loops': number;
  readonly 'Rows Removed by Filter'?: number;
  readonly 'Rows Removed by Join Filter'?: number;
  readonly 'Rows Removed by Index Recheck'?: number;
  readonly 'Plans'?: readonly PlanNode[];
}

/** Rows that a plan's nodes gave or threw away. */
const touched = (node: PlanNode): number =>
  node['Actual Loops'] *
    (node['Actual Rows'] +
      (node['Rows Removed by Filter'] ?? 0) +
      (node['Rows Removed by Join Filter'] ?? 0) +
      (node['Rows Removed by Index Recheck'] ?? 0)) +
  (node.Plans ?? []).reduce((sum, inner) => sum + touched(inner), 0);

const MANY = 500;
/**
 * What one row may cost, in rows touched: 12 to 135 do, as the plans and what a job cleared meanwhile have it. Comparing pair by pair would
 * cost each as many as there are rows, or half of them.
 */
const FOR_EACH = MANY / 2;

let made: Awaited<ReturnType<typeof makeDatabase>>;
let client: pg.Client;
const plans: PlanNode[] = [];
beforeAll(async () => {
  made = await makeDatabase();
  client = new pg.Client(made.address);
  client.on('notice', ({ message }) => {
    const json = /plan:\s*(\{[\s\S]*\})/.exec(message ?? '')?.[1];
    if (json) plans.push((JSON.parse(json) as { Plan: PlanNode }).Plan);
  });
  await client.connect();
  await client.query(`
    INSERT INTO users (id, handle, name) SELECT gen_random_uuid(), 'reader_' || i, 'Reader' FROM generate_series(0, ${2 * MANY}) i;
    LOAD 'auto_explain';
    SET auto_explain.log_min_duration = 0; SET auto_explain.log_analyze = on; SET auto_explain.log_timing = off;
    SET auto_explain.log_nested_statements = on; SET auto_explain.log_format = json; SET auto_explain.log_level = notice`);
});
afterAll(async () => {
  await client.end();
  await made.drop();
});

/** Runs the statement on so many rows. @returns the rows that were touched in what followed it; its own plan comes last */
async function rowsTouched(sql: string, rows: number): Promise<number> {
  plans.length = 0;
  const { rowCount } = await client.query(sql, [rows]);
  expect(rowCount).toBe(rows);
  return plans.slice(0, -1).reduce((sum, plan) => sum + touched(plan), 0);
}

const one = (table: string) => `(SELECT id FROM ${table} ORDER BY id LIMIT 1)`;
const first = (table: string, where = 'true') => `SELECT id FROM ${table} WHERE ${where} ORDER BY id LIMIT $1`;
const READER = `(SELECT id FROM users WHERE handle = 'reader_0')`;

/** Every kind of statement after which the database counts, on so many rows ($1). */
const STATEMENTS: readonly (readonly [string, string])[] = [
  [
    'posts made',
    `INSERT INTO posts (id, author_id, body) SELECT gen_random_uuid(), u.id, 'Seen from the ferry' FROM users u ORDER BY u.id LIMIT $1`,
  ],
  ['posts edited', `UPDATE posts SET body = body || '.' WHERE id IN (${first('posts')})`],
  [
    'posts moved in time',
    `UPDATE posts SET created_at = created_at - interval '1 day' WHERE id IN (${first('posts')})`,
  ],
  [
    'comments made',
    `INSERT INTO comments (id, post_id, author_id, body) SELECT gen_random_uuid(), p.id, ${READER}, 'Well seen' FROM posts p ORDER BY p.id LIMIT $1`,
  ],
  [
    'comments deleted for now',
    `UPDATE comments SET deleted_at = clock_timestamp(), removal = 'owner' WHERE id IN (${first('comments')})`,
  ],
  ['comments restored', `UPDATE comments SET deleted_at = NULL, removal = NULL WHERE id IN (${first('comments')})`],
  [
    'reactions on posts',
    `INSERT INTO reactions (post_id, user_id, kind) SELECT p.id, ${READER}, 'like' FROM posts p ORDER BY p.id LIMIT $1`,
  ],
  [
    'reactions changed',
    `UPDATE reactions SET kind = 'dislike' WHERE post_id IN (SELECT post_id FROM reactions ORDER BY post_id LIMIT $1)`,
  ],
  [
    'reactions on comments',
    `INSERT INTO comment_reactions (comment_id, user_id, kind) SELECT c.id, ${READER}, 'like' FROM comments c ORDER BY c.id LIMIT $1`,
  ],
  [
    'reactions on comments taken back',
    `DELETE FROM comment_reactions WHERE comment_id IN (SELECT comment_id FROM comment_reactions ORDER BY comment_id LIMIT $1)`,
  ],
  [
    'follows',
    `INSERT INTO follows (follower_id, followee_id) SELECT ${READER}, u.id FROM users u WHERE u.handle <> 'reader_0' ORDER BY u.id LIMIT $1`,
  ],
  [
    'follows taken back',
    `DELETE FROM follows WHERE followee_id IN (SELECT followee_id FROM follows ORDER BY followee_id LIMIT $1)`,
  ],
  [
    'posts deleted for now',
    `UPDATE posts SET deleted_at = clock_timestamp(), removal = 'owner' WHERE id IN (${first('posts', 'deleted_at IS NULL')})`,
  ],
  [
    'reactions taken back',
    `DELETE FROM reactions WHERE post_id IN (SELECT post_id FROM reactions ORDER BY post_id LIMIT $1)`,
  ],
  ['posts deleted for good', `DELETE FROM posts WHERE id IN (${first('posts')})`],
];

describe('a statement over many rows', () => {
  test.each([
    ['on tables of which the planner knows nothing', false],
    ['with plans made for one row', true],
  ])('is followed by work in proportion to the rows, %s', async (_when, smallBefore) => {
    const spent: Record<string, number> = {};
    // Plans last as long as the session: those of the first statement serve the large ones too.
    if (smallBefore)
      for (const [, sql] of STATEMENTS) {
        await rowsTouched(sql, 1);
        await client.query('ANALYZE');
      }
    for (const [name, sql] of STATEMENTS) spent[name] = Math.round((await rowsTouched(sql, MANY)) / MANY);
    expect(Object.entries(spent).filter(([, each]) => each > FOR_EACH)).toEqual([]);
    expect(Object.values(spent).every((each) => each > 0)).toBe(true);
    expect(await wrongTallies()).toBe(0);
  });

  test('counts a comment that changes hands or posts for who and what it belongs to', async () => {
    await client.query(`
      INSERT INTO posts (id, author_id, body) SELECT gen_random_uuid(), id, 'A seal' FROM users ORDER BY handle LIMIT 2;
      INSERT INTO comments (id, post_id, author_id, body) SELECT gen_random_uuid(), ${one('posts')}, id, 'Two seals' FROM users ORDER BY handle DESC LIMIT 3`);
    expect(await wrongTallies()).toBe(0);
    await client.query(
      `UPDATE comments SET post_id = (SELECT id FROM posts ORDER BY id DESC LIMIT 1) WHERE id = ${one('comments')}`,
    );
    expect(await wrongTallies()).toBe(0);
    await client.query(
      `UPDATE comments SET author_id = NULL, body = '', deleted_at = clock_timestamp() WHERE author_id = (SELECT author_id FROM comments ORDER BY id LIMIT 1)`,
    );
    expect(await wrongTallies()).toBe(0);
  });
});

/** Posts and users whose tallies are not what their rows say. */
async function wrongTallies(): Promise<number> {
  const { rows } = await client.query<{ wrong: number }>(`
    SELECT (SELECT count(*) FROM post_tallies t JOIN posts p ON p.id = t.post_id,
      LATERAL (SELECT count(*) AS n, count(DISTINCT author_id) FILTER (WHERE author_id <> p.author_id) AS people
               FROM comments c WHERE c.post_id = t.post_id AND c.deleted_at IS NULL) c,
      LATERAL (SELECT count(*) AS n FROM reactions r WHERE r.post_id = t.post_id) r
      WHERE (t.comments, t.comment_people) <> (c.n, c.people)
         OR (SELECT coalesce(sum(value::integer), 0) FROM jsonb_each_text(t.reactions)) <> r.n)
    + (SELECT count(*) FROM user_tallies t WHERE (t.posts, t.followers, t.following) <> (
        (SELECT count(*) FROM posts WHERE author_id = t.user_id AND deleted_at IS NULL),
        (SELECT count(*) FROM follows WHERE followee_id = t.user_id),
        (SELECT count(*) FROM follows WHERE follower_id = t.user_id)))
    + (SELECT count(*) FROM posts p FULL JOIN standings s ON s.post_id = p.id
       WHERE (p.deleted_at IS NULL) IS DISTINCT FROM (s.post_id IS NOT NULL)) AS wrong`);
  return Number(rows[0]!.wrong);
}
