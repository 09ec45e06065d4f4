-- What follows a statement on comments: they are counted for the post, and the post is set anew where it stands.

-- Cost: that of count_comments.
CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(1))
  FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comments_inserted AFTER INSERT ON comments
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_inserted();

-- A comment that goes, comes back or loses its author is counted so, for the person who wrote it.
CREATE OR REPLACE FUNCTION after_comments_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
  FROM (SELECT post_id, author_id, sum(sign)::integer AS d FROM (
          SELECT post_id, author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT post_id, author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY post_id, author_id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comments_updated AFTER UPDATE ON comments
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_updated();

-- Those that were deleted already are not uncounted again.
CREATE OR REPLACE FUNCTION after_comments_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(-1))
  FROM old_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comments_deleted AFTER DELETE ON comments
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comments_deleted();
