-- The words that posts gather under. Which those are is told by the spans of each post; what is out of sight gathers under none.

-- Counts posts under hashtags (sign 1) and uncounts them (-1), and the people who wrote them, each once. Cost: one row version for each
-- hashtag and person.
CREATE OR REPLACE FUNCTION count_hashtags(tags bigint[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM hashtags WHERE id = ANY (tags) ORDER BY id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT hashtag_id, user_id, sum(sign)::integer AS d
    FROM unnest(tags, users, signs) AS a (hashtag_id, user_id, sign) GROUP BY hashtag_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.hashtag_id, a.user_id, a.d, coalesce(p.n, 0) AS n
    FROM acts a LEFT JOIN hashtag_people p ON p.hashtag_id = a.hashtag_id AND p.user_id = a.user_id
  ), gone AS (
    DELETE FROM hashtag_people p USING known k
    WHERE p.hashtag_id = k.hashtag_id AND p.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE hashtag_people p SET n = k.n + k.d FROM known k
    WHERE p.hashtag_id = k.hashtag_id AND p.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO hashtag_people (hashtag_id, user_id, n)
    SELECT hashtag_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE hashtags h SET posts = h.posts + s.posts, people = h.people + s.people
  FROM (SELECT hashtag_id, sum(d)::integer AS posts,
               sum(CASE WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY hashtag_id) s
  WHERE h.id = s.hashtag_id;
END $$;

CREATE OR REPLACE FUNCTION after_post_hashtags_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_hashtags(array_agg(hashtag_id), array_agg(author_id), array_agg(1)) FROM new_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER post_hashtags_inserted AFTER INSERT ON post_hashtags
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_hashtags_inserted();

CREATE OR REPLACE FUNCTION after_post_hashtags_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_hashtags(array_agg(hashtag_id), array_agg(author_id), array_agg(-1)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER post_hashtags_deleted AFTER DELETE ON post_hashtags
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_hashtags_deleted();

-- Sets the hashtags of posts anew, by their spans. What does not change is not touched, so that an edit holds no hashtag of others up.
-- Cost: one probe for each hashtag of a post.
CREATE OR REPLACE FUNCTION set_hashtags(ids uuid[]) RETURNS void LANGUAGE plpgsql
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
END $$;

-- The hashtags that posts in sight should gather under, by their spans. Cost: one probe for each span.
CREATE OR REPLACE FUNCTION hashtags_by_spans(ids uuid[]) RETURNS TABLE(post_id uuid, hashtag_id bigint, author_id uuid, created_at timestamp with time zone) LANGUAGE sql STABLE AS $$
  SELECT DISTINCT p.id, h.id, p.author_id, p.created_at
  FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s JOIN hashtags h ON h.name = s ->> 5
  WHERE p.id = ANY (ids) AND p.deleted_at IS NULL AND s ->> 0 = 'h'
$$;
