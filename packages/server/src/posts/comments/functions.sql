-- What follows a statement on comments: they are counted for the post, which is set anew where it stands, and for what they stand under;
-- whom they mention is kept, and what is told of them ends where they go out of sight. The post's counts are held first.

-- Cost: that of count_comments and count_replies.
CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
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
END $$;
CREATE OR REPLACE TRIGGER comments_inserted AFTER INSERT ON comments
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_inserted();

-- A comment that goes, comes back, loses its author or moves to another place is counted so, for the person who wrote it. An edit of the
-- text moves nothing but whom it mentions. What foreign keys do to a row more than once in one statement comes here as several rows of the
-- same id: they are summed, and what stands is read from the table.
CREATE OR REPLACE FUNCTION after_comments_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  changed uuid[];
  places uuid[];
  authors uuid[];
  replies integer[];
  shown integer[];
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
  FROM (SELECT post_id, author_id, sum(sign)::integer AS d FROM (
          SELECT post_id, author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT post_id, author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY post_id, author_id) r WHERE d <> 0 HAVING count(*) > 0;
  PERFORM set_comment_mentions(array_agg(id)) FROM (
    SELECT id FROM (SELECT id, spans FROM old_rows UNION SELECT id, spans FROM new_rows) both_ways GROUP BY id HAVING count(*) > 1) c HAVING count(*) > 0;
  SELECT array_agg(id) INTO changed FROM (
    SELECT id FROM (
      SELECT id, under_id, deleted_at IS NULL AS visible, author_id, created_at FROM old_rows
      UNION SELECT id, under_id, deleted_at IS NULL, author_id, created_at FROM new_rows
    ) both_ways GROUP BY id HAVING count(*) > 1) c;
  IF changed IS NULL THEN
    RETURN NULL;
  END IF;
  PERFORM hold_threads(changed || coalesce((SELECT array_agg(under_id) FROM new_rows WHERE id = ANY (changed) AND under_id IS NOT NULL), '{}'));
  SELECT array_agg(place_id), array_agg(author_id), array_agg(replies_by), array_agg(shown_by) INTO places, authors, replies, shown FROM (
    SELECT under_id AS place_id, author_id, sum(sign)::integer AS replies_by, 0 AS shown_by FROM (
      SELECT id, under_id, author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
      UNION ALL SELECT id, under_id, author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
    WHERE id = ANY (changed) AND under_id IS NOT NULL GROUP BY under_id, author_id HAVING sum(sign) <> 0
    UNION ALL
    SELECT t.place_id, NULL, 0, -1 FROM comment_tallies t WHERE t.comment_id = ANY (changed) AND t.place_id <> t.post_id AND (t.in_sight OR t.below > 0)
    UNION ALL
    SELECT c.under_id, NULL, 0, 1 FROM comments c JOIN comment_tallies t ON t.comment_id = c.id
    WHERE c.id = ANY (changed) AND c.under_id IS NOT NULL AND (c.deleted_at IS NULL OR t.below > 0)) moves;
  UPDATE comment_tallies t SET place_id = coalesce(c.under_id, c.post_id), created_at = c.created_at, in_sight = c.deleted_at IS NULL
  FROM comments c WHERE c.id = t.comment_id AND c.id = ANY (changed);
  IF places IS NOT NULL THEN
    PERFORM count_replies(places, authors, replies, shown);
  END IF;
  PERFORM end_acts_on_comments(array_agg(id), array_agg(post_id)) FROM (
    SELECT id, post_id FROM old_rows WHERE deleted_at IS NULL INTERSECT SELECT id, post_id FROM new_rows WHERE deleted_at IS NOT NULL) gone HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comments_updated AFTER UPDATE ON comments
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_updated();

-- Those that were deleted already are not uncounted again. What shows no more is carried up as their tallies go.
CREATE OR REPLACE FUNCTION after_comments_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(-1))
  FROM old_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  PERFORM count_replies(array_agg(under_id), array_agg(author_id), array_agg(-1), array_agg(0))
  FROM old_rows WHERE under_id IS NOT NULL AND deleted_at IS NULL HAVING count(*) > 0;
  PERFORM end_acts_on_comments(array_agg(id), array_agg(post_id)), forget_acts_on(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comments_deleted AFTER DELETE ON comments
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_deleted();
