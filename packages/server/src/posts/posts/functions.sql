-- What follows a statement on posts. PostgreSQL allows one event for each trigger that sees the rows of the whole statement.

-- A post gets its tally, its standing, and is counted for its author. Cost: one row of each for each post.
CREATE OR REPLACE FUNCTION after_posts_inserted() RETURNS trigger LANGUAGE plpgsql
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
END $$;
CREATE OR REPLACE TRIGGER posts_inserted AFTER INSERT ON posts
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_posts_inserted();

-- An edit of the text moves nothing but the words and people that it names; deleting, restoring and moving in time do. What is told of a
-- post ends where it goes out of sight. Cost: one sort of the statement's rows.
CREATE OR REPLACE FUNCTION after_posts_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  moved uuid[];
  renamed uuid[];
BEGIN
  SELECT array_agg(id) INTO renamed FROM (
    SELECT id FROM (SELECT id, spans FROM old_rows UNION SELECT id, spans FROM new_rows) both_ways GROUP BY id HAVING count(*) > 1) c;
  IF renamed IS NOT NULL THEN
    PERFORM set_post_mentions(renamed);
  END IF;
  SELECT array_agg(id) INTO moved FROM (
    SELECT id FROM (
      SELECT id, author_id, deleted_at IS NULL AS visible, created_at FROM old_rows
      UNION SELECT id, author_id, deleted_at IS NULL, created_at FROM new_rows
    ) both_ways GROUP BY id HAVING count(*) > 1) m;
  IF moved IS NULL THEN
    IF renamed IS NOT NULL THEN
      PERFORM set_hashtags(renamed);
    END IF;
    RETURN NULL;
  END IF;
  PERFORM FROM post_tallies WHERE post_id = ANY (moved) ORDER BY post_id FOR NO KEY UPDATE;
  PERFORM set_standings(moved);
  PERFORM count_users(array_agg(author_id), array_agg(d), array_agg(0), array_agg(0))
  FROM (SELECT author_id, sum(sign)::integer AS d FROM (
          SELECT author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY author_id) r WHERE d <> 0 HAVING count(*) > 0;
  PERFORM set_hashtags(moved || coalesce(renamed, '{}'));
  PERFORM end_acts_on_posts(array_agg(id)) FROM (
    SELECT id FROM old_rows WHERE deleted_at IS NULL INTERSECT SELECT id FROM new_rows WHERE deleted_at IS NOT NULL) gone HAVING count(*) > 0;
  PERFORM note_event('post.counted', moved, NULL);
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM (
    SELECT id, author_id FROM old_rows WHERE deleted_at IS NOT NULL INTERSECT SELECT id, author_id FROM new_rows WHERE deleted_at IS NULL) back HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER posts_updated AFTER UPDATE ON posts
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_posts_updated();

-- A post that is removed for good takes its standings along, and what is told of it. Cost: one probe for each post and live weighting.
CREATE OR REPLACE FUNCTION after_posts_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_standings(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (-1 * count(*))::integer AS n FROM old_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  PERFORM end_acts_on_posts(array_agg(id)), forget_acts_on(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER posts_deleted AFTER DELETE ON posts
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_posts_deleted();

-- What posts show of their pictures, in their own rows: a page reads it with them. The posts are held first, so that what is read then is
-- what whoever held them before has left. Cost: one probe for each post, three for each picture, and a row version where something changed.
CREATE OR REPLACE FUNCTION set_post_pictures(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM posts WHERE id = ANY (ids) ORDER BY id FOR NO KEY UPDATE;
  UPDATE posts p SET pictures = n.pictures
  FROM (
    SELECT i.id, (
      SELECT jsonb_agg(jsonb_build_object('id', u.id, 'blob', b.id, 'width', b.width, 'height', b.height, 'widths', b.widths,
               'placeholder', b.placeholder, 'alt', pp.alt) ORDER BY pp.position)
      FROM post_pictures pp JOIN uploads u ON u.id = pp.upload_id JOIN blobs b ON b.id = u.blob_id WHERE pp.post_id = i.id) AS pictures
    FROM unnest(ids) AS i (id)) n
  WHERE p.id = n.id AND p.pictures IS DISTINCT FROM n.pictures;
END $$;

CREATE OR REPLACE FUNCTION after_post_pictures_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_post_pictures(array_agg(DISTINCT post_id)) FROM (SELECT post_id FROM new_rows) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER post_pictures_inserted AFTER INSERT ON post_pictures
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_pictures_inserted();

CREATE OR REPLACE FUNCTION after_post_pictures_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_post_pictures(array_agg(DISTINCT post_id)) FROM (SELECT post_id FROM old_rows UNION SELECT post_id FROM new_rows) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER post_pictures_updated AFTER UPDATE ON post_pictures
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_pictures_updated();

CREATE OR REPLACE FUNCTION after_post_pictures_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_post_pictures(array_agg(DISTINCT post_id)) FROM (SELECT post_id FROM old_rows) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER post_pictures_deleted AFTER DELETE ON post_pictures
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_pictures_deleted();
