-- What follows a statement on reactions: each is counted by its kind; one that changes its kind is taken back and made. Of one that is
-- taken back nobody is told any more.

-- Cost: that of count_reactions, and so for the others.
CREATE OR REPLACE FUNCTION after_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER reactions_inserted AFTER INSERT ON reactions
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_reactions_inserted();

CREATE OR REPLACE FUNCTION after_reactions_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n UNION ALL SELECT o.*, -1 FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER reactions_updated AFTER UPDATE ON reactions
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_reactions_updated();

CREATE OR REPLACE FUNCTION after_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  PERFORM end_acts(array_agg(r.post_id), array_agg(r.user_id), array_agg(p.author_id))
  FROM old_rows r JOIN posts p ON p.id = r.post_id WHERE p.author_id <> r.user_id HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER reactions_deleted AFTER DELETE ON reactions
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_reactions_deleted();

-- The same on comments.
CREATE OR REPLACE FUNCTION after_comment_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comment_reactions_inserted AFTER INSERT ON comment_reactions
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comment_reactions_inserted();

CREATE OR REPLACE FUNCTION after_comment_reactions_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n UNION ALL SELECT o.*, -1 FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comment_reactions_updated AFTER UPDATE ON comment_reactions
  REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comment_reactions_updated();

CREATE OR REPLACE FUNCTION after_comment_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  PERFORM end_acts(array_agg(r.comment_id), array_agg(r.user_id), array_agg(c.author_id))
  FROM old_rows r JOIN comments c ON c.id = r.comment_id WHERE c.author_id <> r.user_id HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER comment_reactions_deleted AFTER DELETE ON comment_reactions
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comment_reactions_deleted();
