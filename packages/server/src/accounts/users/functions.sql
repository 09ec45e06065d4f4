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

-- The smallest file of a user's picture stands in their row, whatever a statement says that it is: what shows an author reads it there.
-- Cost: two probes where there is a picture, and none for anybody else.
CREATE OR REPLACE FUNCTION set_picture_file() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  NEW.picture_file := (
    SELECT b.id || '-' || b.widths[1] || '.webp' FROM uploads u JOIN blobs b ON b.id = u.blob_id WHERE u.id = NEW.picture_id);
  RETURN NEW;
END $$;
CREATE OR REPLACE TRIGGER users_picture_file_1 BEFORE INSERT ON users
  FOR EACH ROW WHEN (NEW.picture_id IS NOT NULL OR NEW.picture_file IS NOT NULL) EXECUTE FUNCTION set_picture_file();
CREATE OR REPLACE TRIGGER users_picture_file_2 BEFORE UPDATE OF picture_id, picture_file ON users
  FOR EACH ROW WHEN (NEW.picture_id IS NOT NULL OR NEW.picture_file IS NOT NULL) EXECUTE FUNCTION set_picture_file();
