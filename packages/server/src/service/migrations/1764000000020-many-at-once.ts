import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * What comes in by the thousand. Room is kept in the pages of posts: a new post goes to the end of the table instead of into a gap of some
 * old page, which would be logged whole for it; and an edit finds room on its own page. A transaction that brings posts in with all that
 * belongs to them may count them once.
 */
export class ManyAtOnce1764000000020 implements MigrationInterface {
  readonly name = 'ManyAtOnce1764000000020';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE posts SET (fillfactor = 90)`);
    for (const sql of [...MADE, ...AFTER]) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const sql of AFTER_BEFORE) await runner.query(sql);
    await runner.query(`DROP FUNCTION count_made(uuid[]), counts_later()`);
    await runner.query(`ALTER TABLE posts RESET (fillfactor)`);
  }
}

const MADE = [
  `CREATE OR REPLACE FUNCTION counts_later() RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT coalesce(current_setting('gather_lane.counts_later', true) = pg_current_xact_id_if_assigned()::text, false)
$$`,
  `CREATE OR REPLACE FUNCTION count_made(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  made uuid[] := ARRAY(SELECT c.id FROM comments c WHERE c.post_id = ANY (ids));
BEGIN
  INSERT INTO post_commenters (post_id, user_id, n)
  SELECT c.post_id, c.author_id, count(*) FROM comments c WHERE c.post_id = ANY (ids) GROUP BY c.post_id, c.author_id;
  INSERT INTO post_tallies (post_id, comments, comment_people, reactions, author_reaction)
  SELECT p.id, c.comments, c.people, r.reactions, r.own FROM posts p
  CROSS JOIN LATERAL (
    SELECT coalesce(sum(n), 0)::integer AS comments, count(*) FILTER (WHERE user_id <> p.author_id)::integer AS people
    FROM post_commenters WHERE post_id = p.id) c
  CROSS JOIN LATERAL (
    SELECT coalesce(jsonb_object_agg(kind, n), '{}') AS reactions, max(kind) FILTER (WHERE own) AS own
    FROM (SELECT kind, count(*) AS n, bool_or(user_id = p.author_id) AS own FROM reactions WHERE post_id = p.id GROUP BY kind) k) r
  WHERE p.id = ANY (ids);
  IF made <> '{}' THEN
    INSERT INTO comment_people (comment_id, user_id, n)
    SELECT a.comment_id, a.user_id, count(*) FROM (
      SELECT r.under_id AS comment_id, r.author_id AS user_id FROM comments r WHERE r.post_id = ANY (ids) AND r.under_id IS NOT NULL
      UNION ALL SELECT r.comment_id, r.user_id FROM comment_reactions r WHERE r.comment_id = ANY (made)) a
    JOIN comments c ON c.id = a.comment_id AND c.author_id IS DISTINCT FROM a.user_id
    GROUP BY a.comment_id, a.user_id;
    INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight, below, replies, people, reactions)
    SELECT c.id, c.post_id, coalesce(c.under_id, c.post_id), c.created_at, true, u.n, u.n, p.n, r.reactions FROM comments c
    CROSS JOIN LATERAL (SELECT count(*)::integer AS n FROM comments r WHERE r.post_id = c.post_id AND r.under_id = c.id) u
    CROSS JOIN LATERAL (SELECT count(*)::integer AS n FROM comment_people WHERE comment_id = c.id) p
    CROSS JOIN LATERAL (
      SELECT coalesce(jsonb_object_agg(kind, n), '{}') AS reactions
      FROM (SELECT kind, count(*) AS n FROM comment_reactions WHERE comment_id = c.id GROUP BY kind) k) r
    WHERE c.id = ANY (made);
    PERFORM set_comment_mentions(array_agg(id)) FROM comments WHERE id = ANY (made) AND spans <> '[]' HAVING count(*) > 0;
  END IF;
  PERFORM set_standings(ids);
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, count(*)::integer AS n FROM posts WHERE id = ANY (ids) GROUP BY author_id ORDER BY author_id) r HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM posts WHERE id = ANY (ids) AND spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM posts WHERE id = ANY (ids) HAVING count(*) > 0;
END $$`,
];

const AFTER = [
  `CREATE OR REPLACE FUNCTION after_posts_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  INSERT INTO post_tallies (post_id) SELECT id FROM new_rows;
  PERFORM set_standings(array_agg(id)) FROM new_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (1 * count(*))::integer AS n FROM new_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(1))
  FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
  SELECT id, post_id, coalesce(under_id, post_id), created_at, deleted_at IS NULL FROM new_rows;
  PERFORM count_replies(array_agg(under_id), array_agg(author_id), array_agg(1), array_agg(1))
  FROM new_rows WHERE under_id IS NOT NULL AND deleted_at IS NULL HAVING count(*) > 0;
  PERFORM set_comment_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_comment_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
];

/** As they were. */
const AFTER_BEFORE = [
  `CREATE OR REPLACE FUNCTION after_posts_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO post_tallies (post_id) SELECT id FROM new_rows;
  PERFORM set_standings(array_agg(id)) FROM new_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (1 * count(*))::integer AS n FROM new_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(1))
  FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
  SELECT id, post_id, coalesce(under_id, post_id), created_at, deleted_at IS NULL FROM new_rows;
  PERFORM count_replies(array_agg(under_id), array_agg(author_id), array_agg(1), array_agg(1))
  FROM new_rows WHERE under_id IS NOT NULL AND deleted_at IS NULL HAVING count(*) > 0;
  PERFORM set_comment_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION after_comment_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
];
