import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * What many rows that come in at once are counted by is two functions: one for what is kept of them alone, beside which another transaction
 * can do the same, and one for what both move. Follows may be counted later, too; hashtags of posts that have none yet are looked at once.
 */
export class TwoStepCounts1764000000026 implements MigrationInterface {
  readonly name = 'TwoStepCounts1764000000026';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of MADE) await runner.query(sql);
    await runner.query(`DROP FUNCTION count_made(uuid[])`);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const sql of BEFORE) await runner.query(sql);
    await runner.query(
      `DROP FUNCTION count_made_own(uuid[]), count_made_shared(uuid[]), count_follows(uuid[], uuid[])`,
    );
  }
}

const MADE = [
  `CREATE OR REPLACE FUNCTION count_made_own(ids uuid[]) RETURNS void LANGUAGE plpgsql
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
  END IF;
  PERFORM set_standings(ids);
END $$`,
  `CREATE OR REPLACE FUNCTION count_made_shared(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_comment_mentions(array_agg(id)) FROM comments WHERE post_id = ANY (ids) AND spans <> '[]' HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, count(*)::integer AS n FROM posts WHERE id = ANY (ids) AND deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM posts WHERE id = ANY (ids) AND spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM posts WHERE id = ANY (ids) AND deleted_at IS NULL HAVING count(*) > 0;
END $$`,
  `CREATE OR REPLACE FUNCTION count_follows(followers uuid[], followees uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followed_by), array_agg(follows))
  FROM (SELECT user_id, 1 AS followed_by, 0 AS follows FROM unnest(followees) AS r (user_id)
        UNION ALL SELECT user_id, 0, 1 FROM unnest(followers) AS r (user_id)) both_sides;
END $$`,
  `CREATE OR REPLACE FUNCTION after_follows_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_follows(array_agg(follower_id), array_agg(followee_id)) FROM new_rows HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION set_hashtags(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  -- In the order of their names, so that two who make the same ones wait for each other and no more.
  INSERT INTO hashtags (name, shown)
  SELECT name, shown FROM (
    SELECT DISTINCT ON (s ->> 5) s ->> 5 AS name, substr(p.body, (s ->> 1)::integer + 2, (s ->> 2)::integer - (s ->> 1)::integer - 1) AS shown
    FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s
    WHERE p.id = ANY (ids) AND p.deleted_at IS NULL AND s ->> 0 = 'h' AND NOT EXISTS (SELECT FROM hashtags h WHERE h.name = s ->> 5)
    ORDER BY s ->> 5, p.created_at, p.id, (s ->> 1)::integer) made ORDER BY name
  ON CONFLICT (name) DO NOTHING;
  -- Posts that are new are counted once, by what is made below, which holds the hashtags in the same order.
  IF EXISTS (SELECT FROM post_hashtags WHERE post_id = ANY (ids)) THEN
    PERFORM FROM hashtags WHERE id IN (
      SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids)
      EXCEPT SELECT hashtag_id FROM hashtags_by_spans(ids)
      UNION (SELECT hashtag_id FROM hashtags_by_spans(ids) EXCEPT SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids))
    ) ORDER BY id FOR NO KEY UPDATE;
    DELETE FROM post_hashtags h WHERE h.post_id = ANY (ids)
      AND (h.post_id, h.hashtag_id, h.author_id, h.created_at) NOT IN (SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids));
  END IF;
  INSERT INTO post_hashtags (post_id, hashtag_id, author_id, created_at)
  SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids) ON CONFLICT DO NOTHING;
END $$`,
];

const BEFORE = [
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
  `CREATE OR REPLACE FUNCTION after_follows_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, 1 AS followers, 0 AS following FROM new_rows
        UNION ALL SELECT follower_id, 0, 1 FROM new_rows) r
  HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `CREATE OR REPLACE FUNCTION set_hashtags(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  -- In the order of their names, so that two who make the same ones wait for each other and no more.
  INSERT INTO hashtags (name, shown)
  SELECT name, shown FROM (
    SELECT DISTINCT ON (s ->> 5) s ->> 5 AS name, substr(p.body, (s ->> 1)::integer + 2, (s ->> 2)::integer - (s ->> 1)::integer - 1) AS shown
    FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s
    WHERE p.id = ANY (ids) AND p.deleted_at IS NULL AND s ->> 0 = 'h' AND NOT EXISTS (SELECT FROM hashtags h WHERE h.name = s ->> 5)
    ORDER BY s ->> 5, p.created_at, p.id, (s ->> 1)::integer) made ORDER BY name
  ON CONFLICT (name) DO NOTHING;
  PERFORM FROM hashtags WHERE id IN (
    SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids)
    EXCEPT SELECT hashtag_id FROM hashtags_by_spans(ids)
    UNION (SELECT hashtag_id FROM hashtags_by_spans(ids) EXCEPT SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids))
  ) ORDER BY id FOR NO KEY UPDATE;
  DELETE FROM post_hashtags h WHERE h.post_id = ANY (ids)
    AND (h.post_id, h.hashtag_id, h.author_id, h.created_at) NOT IN (SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids));
  INSERT INTO post_hashtags (post_id, hashtag_id, author_id, created_at)
  SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids) ON CONFLICT DO NOTHING;
END $$`,
];
