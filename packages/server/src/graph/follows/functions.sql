-- What follows a statement on follows: the counts of both sides; of one that ended nobody is told any more.

-- Counts follows on both sides. Cost: one row version for each user on either side, whatever the number of follows.
CREATE OR REPLACE FUNCTION count_follows(followers uuid[], followees uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followed_by), array_agg(follows))
  FROM (SELECT user_id, 1 AS followed_by, 0 AS follows FROM unnest(followees) AS r (user_id)
        UNION ALL SELECT user_id, 0, 1 FROM unnest(followers) AS r (user_id)) both_sides;
END $$;

CREATE OR REPLACE FUNCTION after_follows_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  IF counts_later() THEN
    RETURN NULL;
  END IF;
  PERFORM count_follows(array_agg(follower_id), array_agg(followee_id)) FROM new_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER follows_inserted AFTER INSERT ON follows
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_follows_inserted();

-- The same the other way.
CREATE OR REPLACE FUNCTION after_follows_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, -1 AS followers, 0 AS following FROM old_rows
        UNION ALL SELECT follower_id, 0, -1 FROM old_rows) r
  HAVING count(*) > 0;
  PERFORM end_acts(array_agg(followee_id), array_agg(follower_id), array_agg(followee_id)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER follows_deleted AFTER DELETE ON follows
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_follows_deleted();
