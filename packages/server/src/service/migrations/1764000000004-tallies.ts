import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * The plans of these functions live as long as the session. After a bulk load the same session would
 * go on with the bulk's plan (a hash over the whole table for one row), so the choice is taken away.
 */
const PLAN = `SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off`;

/**
 * Tallies and standings kept by the database. Each function first takes the tally rows, in id order and
 * in a statement of its own, so that the next statement's snapshot is taken once they are held.
 */
export class Tallies1764000000004 implements MigrationInterface {
  readonly name = 'Tallies1764000000004';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(SET_STANDINGS);
    await runner.query(COUNT_USERS);
    await runner.query(COUNT_COMMENTS);
    for (const statement of TRIGGERS) await runner.query(statement);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const table of ['users', 'posts', 'follows', 'comments'])
      for (const event of ['inserted', 'updated', 'deleted']) {
        await runner.query(`DROP TRIGGER IF EXISTS ${table}_${event} ON ${table}`);
        await runner.query(`DROP FUNCTION IF EXISTS after_${table}_${event}`);
      }
    await runner.query(`DROP FUNCTION count_comments, count_users, set_standings`);
  }
}

/** Cost: one probe of posts, post_tallies and standings for each id. The caller holds the tally rows. */
export const SET_STANDINGS = `
CREATE FUNCTION set_standings(ids uuid[]) RETURNS void LANGUAGE sql VOLATILE ${PLAN} AS $$
  WITH due AS MATERIALIZED (
    SELECT p.id, p.author_id, p.deleted_at IS NULL AS visible, s.lane_time AS before,
           lane_time(p.created_at, w.half_life_ms, w.base,
                     greatest(k.comment, 0) * t.comment_people, greatest(-k.comment, 0) * t.comment_people)::timestamptz(3) AS now
    FROM posts p
    JOIN post_tallies t ON t.post_id = p.id
    JOIN weightings w ON w.in_force
    CROSS JOIN LATERAL (SELECT coalesce((w.weights ->> 'comment')::bigint, 0) AS comment) k
    LEFT JOIN standings_1 s ON s.post_id = p.id
    WHERE p.id = ANY (ids)
  ), moved AS (
    UPDATE standings_1 s SET lane_time = d.now FROM due d
    WHERE s.post_id = d.id AND d.visible AND d.before <> d.now
  ), made AS (
    INSERT INTO standings_1 (post_id, author_id, lane_time)
    SELECT id, author_id, now FROM due WHERE visible AND before IS NULL
  ), withdrawn AS (
    DELETE FROM standings_1 s USING due d WHERE s.post_id = d.id AND NOT d.visible
  )
  INSERT INTO standing_drops (post_id, xid, from_lane_time)
  SELECT id, pg_current_xact_id(), before FROM due
  WHERE before IS NOT NULL AND (NOT visible OR now < before)
  ON CONFLICT (post_id, xid) DO UPDATE SET from_lane_time = greatest(standing_drops.from_lane_time, excluded.from_lane_time)
$$`;

/** Adds to user tallies. Cost: one probe and at most one row version for each user. */
const COUNT_USERS = `
CREATE FUNCTION count_users(users uuid[], posts integer[], followers integer[], following integer[])
RETURNS void LANGUAGE plpgsql VOLATILE ${PLAN} AS $$
BEGIN
  PERFORM FROM user_tallies WHERE user_id = ANY (users) ORDER BY user_id FOR NO KEY UPDATE;
  UPDATE user_tallies t
  SET posts = t.posts + d.posts, followers = t.followers + d.followers, following = t.following + d.following
  FROM (SELECT user_id, sum(a.posts)::integer AS posts, sum(a.followers)::integer AS followers, sum(a.following)::integer AS following
        FROM unnest(users, posts, followers, following) AS a (user_id, posts, followers, following) GROUP BY user_id) d
  WHERE t.user_id = d.user_id AND (d.posts, d.followers, d.following) <> (0, 0, 0);
END $$`;

/**
 * Counts comments (sign +1) and uncounts them (−1): the plain count, and the people, whose number
 * changes only when somebody's n goes 0→1 or 1→0. Cost: one probe for each post and person.
 */
const COUNT_COMMENTS = `
CREATE FUNCTION count_comments(posts uuid[], users uuid[], signs integer[])
RETURNS void LANGUAGE plpgsql VOLATILE ${PLAN} AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT post_id, user_id, sum(sign)::integer AS d
    FROM unnest(posts, users, signs) AS a (post_id, user_id, sign) GROUP BY post_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.post_id, a.user_id, a.d, coalesce(c.n, 0) AS n, p.author_id = a.user_id AS own
    FROM acts a
    JOIN posts p ON p.id = a.post_id
    LEFT JOIN post_commenters c ON c.post_id = a.post_id AND c.user_id = a.user_id
  ), gone AS (
    DELETE FROM post_commenters c USING known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE post_commenters c SET n = k.n + k.d FROM known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO post_commenters (post_id, user_id, n)
    SELECT post_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE post_tallies t SET comments = t.comments + s.comments, comment_people = t.comment_people + s.people
  FROM (SELECT post_id, sum(d)::integer AS comments,
               sum(CASE WHEN own THEN 0 WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY post_id) s
  WHERE t.post_id = s.post_id;
  PERFORM set_standings(posts);
END $$`;

/** A statement-level trigger: PostgreSQL allows one event for each trigger that has transition tables. */
function trigger(table: string, event: 'INSERT' | 'UPDATE' | 'DELETE', body: string): string[] {
  const word = { INSERT: 'inserted', UPDATE: 'updated', DELETE: 'deleted' }[event];
  const rows = {
    INSERT: 'NEW TABLE AS new_rows',
    UPDATE: 'OLD TABLE AS old_rows NEW TABLE AS new_rows',
    DELETE: 'OLD TABLE AS old_rows',
  }[event];
  return [
    `CREATE FUNCTION after_${table}_${word}() RETURNS trigger LANGUAGE plpgsql ${PLAN} AS $$ BEGIN ${body} RETURN NULL; END $$`,
    `CREATE TRIGGER ${table}_${word} AFTER ${event} ON ${table} REFERENCING ${rows} FOR EACH STATEMENT EXECUTE FUNCTION after_${table}_${word}()`,
  ];
}

const countPosts = (rows: string, sign: number) => `
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (${sign} * count(*))::integer AS n FROM ${rows} WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;`;

const countFollows = (rows: string, sign: number) => `
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, ${sign} AS followers, 0 AS following FROM ${rows}
        UNION ALL SELECT follower_id, 0, ${sign} FROM ${rows}) r
  HAVING count(*) > 0;`;

const countComments = (rows: string, sign: number) => `
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(${sign}))
  FROM ${rows} WHERE deleted_at IS NULL HAVING count(*) > 0;`;

const MOVED_POSTS = `FROM new_rows n JOIN old_rows o ON o.id = n.id
     WHERE (o.deleted_at IS NULL, o.created_at) IS DISTINCT FROM (n.deleted_at IS NULL, n.created_at)`;

const TRIGGERS = [
  ...trigger('users', 'INSERT', `INSERT INTO user_tallies (user_id) SELECT id FROM new_rows;`),

  ...trigger(
    'posts',
    'INSERT',
    `INSERT INTO post_tallies (post_id) SELECT id FROM new_rows;
     PERFORM set_standings(array_agg(id)) FROM new_rows HAVING count(*) > 0; ${countPosts('new_rows', 1)}`,
  ),
  // An edit of the text changes neither; deleting, restoring and moving in time do.
  ...trigger(
    'posts',
    'UPDATE',
    `PERFORM FROM post_tallies WHERE post_id IN (SELECT n.id ${MOVED_POSTS}) ORDER BY post_id FOR NO KEY UPDATE;
     PERFORM set_standings(array_agg(n.id)) ${MOVED_POSTS} HAVING count(*) > 0;
     PERFORM count_users(array_agg(author_id), array_agg(d), array_agg(0), array_agg(0))
     FROM (SELECT n.author_id, sum((n.deleted_at IS NULL)::integer - (o.deleted_at IS NULL)::integer)::integer AS d
           FROM new_rows n JOIN old_rows o ON o.id = n.id GROUP BY n.author_id) r WHERE d <> 0 HAVING count(*) > 0;`,
  ),
  ...trigger('posts', 'DELETE', countPosts('old_rows', -1)),

  ...trigger('follows', 'INSERT', countFollows('new_rows', 1)),
  ...trigger('follows', 'DELETE', countFollows('old_rows', -1)),

  ...trigger('comments', 'INSERT', countComments('new_rows', 1)),
  ...trigger(
    'comments',
    'UPDATE',
    `PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
     FROM (SELECT n.post_id, n.author_id, (n.deleted_at IS NULL)::integer - (o.deleted_at IS NULL)::integer AS d
           FROM new_rows n JOIN old_rows o ON o.id = n.id) r WHERE d <> 0 HAVING count(*) > 0;`,
  ),
  ...trigger('comments', 'DELETE', countComments('old_rows', -1)),
];
