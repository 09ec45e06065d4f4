-- What follows a statement on users.

-- Everybody has a row of counts from the beginning. Cost: one row for each user.
CREATE OR REPLACE FUNCTION after_users_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO user_tallies (user_id) SELECT id FROM new_rows;
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER users_inserted AFTER INSERT ON users
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_users_inserted();
