-- The same tables for an engine that distributes PostgreSQL by a column, and hashes that column by itself: each distributed table has its
-- bucket as a column, first in each unique key and in each foreign key to another of them. Complete, for a database with or without rows;
-- applied by a test to one database, in local hash partitions, which demand the same of keys, and the feeds are read there.
--
-- On the engine the last lines of `distribute` are its own call (distribute the table by `bucket`, co-located with `posts`), and each
-- table of `everywhere` is declared a reference table. What is in neither list stays on the server of the accounts.

-- The bucket of an id: its last ten bits. Alike for a post, its author, its comments, and all that has their id in its key.
CREATE FUNCTION bucket_of(id uuid) RETURNS smallint LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT (('x' || right(id::text, 3))::bit(12)::integer % 1024)::smallint $$;

-- Distributed, each with what tells its bucket; those first to which others refer.
CREATE TEMPORARY TABLE distributed (n integer GENERATED ALWAYS AS IDENTITY, name text, id text);
INSERT INTO distributed (name, id) VALUES
  ('posts', 'id'), ('comments', 'id'),
  ('post_tallies', 'post_id'), ('standings_1', 'post_id'), ('standing_drops', 'post_id'), ('post_versions', 'post_id'),
  ('post_pictures', 'post_id'), ('post_hashtags', 'post_id'), ('post_mentions', 'post_id'), ('post_watches', 'post_id'),
  ('post_commenters', 'post_id'), ('reactions', 'post_id'),
  ('comment_tallies', 'comment_id'), ('comment_people', 'comment_id'), ('comment_mentions', 'comment_id'),
  ('comment_reactions', 'comment_id'), ('comment_announcements', 'comment_id'),
  ('moderations', 'coalesce(post_id, comment_id)'),
  -- With the author whose posts are asked for.
  ('follows', 'followee_id');

-- Everywhere the same, for distributed tables refer to them, or nearly every statement reads them.
CREATE TEMPORARY TABLE everywhere (name text);
INSERT INTO everywhere VALUES ('users'), ('uploads'), ('blobs'), ('hashtags'), ('mutes'), ('blocks'), ('weightings'), ('user_tallies');

DO $$
DECLARE
  parts constant integer := 8;
  later text[] := '{}';
  each record;
BEGIN
  -- A table on one server cannot refer to rows on several, and one on several only to what is everywhere.
  FOR each IN SELECT conname FROM pg_constraint WHERE contype = 'f'
    AND (confrelid::regclass::text IN (SELECT name FROM distributed) AND conrelid::regclass::text NOT IN (SELECT name FROM distributed)
      OR conrelid::regclass::text IN (SELECT name FROM distributed)
        AND confrelid::regclass::text NOT IN (SELECT name FROM distributed UNION SELECT name FROM everywhere))
  LOOP
    RAISE EXCEPTION 'the foreign key % has to go, or its table has to be distributed', each.conname;
  END LOOP;

  -- Foreign keys between distributed tables hold within a bucket; those to what is everywhere stay as they are.
  FOR each IN SELECT c.conrelid::regclass AS name, c.conname, pg_get_constraintdef(c.oid) AS says,
      c.confrelid::regclass::text IN (SELECT name FROM distributed) AS within
    FROM pg_constraint c WHERE c.contype = 'f' AND c.conrelid::regclass::text IN (SELECT name FROM distributed)
  LOOP
    IF each.within THEN
      each.says := regexp_replace(each.says, '^FOREIGN KEY \((.*?)\) REFERENCES (\w+)\((.*?)\)', 'FOREIGN KEY (bucket, \1) REFERENCES \2 (bucket, \3)');
    END IF;
    later := later || format('ALTER TABLE %s ADD CONSTRAINT %I %s', each.name, each.conname, each.says);
  END LOOP;
  -- A key is unique within a bucket, and so everywhere: what it holds tells the bucket.
  FOR each IN SELECT i.indrelid::regclass AS name, i.indexrelid::regclass AS index, pg_get_indexdef(i.indexrelid) AS says,
      i.indisunique, i.indisprimary
    FROM pg_index i WHERE i.indrelid::regclass::text IN (SELECT name FROM distributed)
  LOOP
    later := CASE
      WHEN each.indisprimary THEN ARRAY[format('ALTER TABLE %s ADD CONSTRAINT %I PRIMARY KEY (bucket, %s)', each.name, each.index,
        substring(each.says FROM '\((.*)\)$'))]
      WHEN each.indisunique THEN ARRAY[regexp_replace(each.says, ' USING btree \(', ' USING btree (bucket, ')]
      ELSE ARRAY[each.says] END || later;
  END LOOP;
  later := later || ARRAY(SELECT format('CREATE VIEW %I AS %s', relname, pg_get_viewdef(oid)) FROM pg_class
    WHERE relkind = 'v' AND relnamespace = 'public'::regnamespace);

  FOR each IN SELECT conrelid::regclass AS name, conname FROM pg_constraint
    WHERE contype = 'f' AND conrelid::regclass::text IN (SELECT name FROM distributed)
  LOOP
    EXECUTE format('ALTER TABLE %s DROP CONSTRAINT %I', each.name, each.conname);
  END LOOP;
  FOR each IN SELECT name, id FROM distributed ORDER BY n LOOP
    EXECUTE format('ALTER TABLE %I RENAME TO plain', each.name);
    EXECUTE format('CREATE TABLE %I (bucket smallint NOT NULL, LIKE plain INCLUDING DEFAULTS INCLUDING CONSTRAINTS INCLUDING COMMENTS,
      CONSTRAINT %I CHECK (bucket = bucket_of(%s))) PARTITION BY HASH (bucket)', each.name, each.name || '_bucket', each.id);
    FOR i IN 0 .. parts - 1 LOOP
      EXECUTE format('CREATE TABLE %I PARTITION OF %I FOR VALUES WITH (MODULUS %s, REMAINDER %s)', each.name || '_part_' || i, each.name, parts, i);
    END LOOP;
    EXECUTE format('INSERT INTO %I SELECT bucket_of(%s), p.* FROM plain p', each.name, each.id);
    EXECUTE 'DROP TABLE plain CASCADE';
  END LOOP;
  -- Keys first: what refers to them comes after.
  FOR i IN 1 .. cardinality(later) LOOP
    EXECUTE later[i];
  END LOOP;
END $$;

-- No trigger of today is made here: one of a shard may write what is of the same bucket, and each row that it inserts needs its bucket.
--   stay, with that column added     post_tallies, standings, drops, versions, hashtags and mentions of posts, commenters, and all that
--                                    counts or places comments: everything that they write is of the post's bucket
--   become work of the service       user_tallies (posts are counted with the author, followers with the followee: two buckets for one
--                                    follow), hashtags and who used them, events, and with these notifications: all of other servers
-- Statements: a read is as it was. Each INSERT into a distributed table names the bucket as well, and its ON CONFLICT the new key.
