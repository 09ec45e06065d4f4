-- What follows a statement on follows: the counts of both sides; of one that ended nobody is told any more.

-- Cost: one row version for each user on either side, whatever the number of rows.
CREATE OR REPLACE FUNCTION after_follows_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, 1 AS followers, 0 AS following FROM new_rows
        UNION ALL SELECT follower_id, 0, 1 FROM new_rows) r
  HAVING count(*) > 0;
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
