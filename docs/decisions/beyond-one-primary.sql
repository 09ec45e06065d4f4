-- The tables of posts, and all that belongs to posts, in hash partitions by the bucket that their ids tell: as a database has them whose
-- tables are empty. Applied by a test, on which the feed is held against the plainest query there is. A superuser runs it: operator
-- classes are theirs to make.

-- The bucket of an id: its last ten bits. Alike for a post, its author, its comments, and all that has their id in its key.
CREATE FUNCTION bucket_of(id uuid) RETURNS integer LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT ('x' || right(id::text, 3))::bit(12)::integer % 1024 $$;
CREATE FUNCTION bucket_hash(id uuid, seed bigint) RETURNS bigint LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT hashint4extended(bucket_of(id), seed) $$;
CREATE FUNCTION bucket_hash(id uuid) RETURNS integer LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE
  AS $$ SELECT hashint4(bucket_of(id)) $$;
-- Equal is what is equal; only the hash leaves most of the id out. So every key and foreign key of today stays as it is: a key must hold
-- the column that its table is partitioned by, and that is the id itself.
CREATE OPERATOR CLASS uuid_bucket_ops FOR TYPE uuid USING hash AS
  OPERATOR 1 =, FUNCTION 1 bucket_hash(uuid), FUNCTION 2 bucket_hash(uuid, bigint);

DO $$
DECLARE
  parts constant integer := 8;
  -- Each with the column that tells its bucket, those first to which others refer.
  tables constant text[] := ARRAY[
    'posts.id', 'post_tallies.post_id', 'standings_1.post_id', 'standing_drops.post_id', 'post_versions.post_id', 'post_pictures.post_id',
    'post_hashtags.post_id', 'post_mentions.post_id', 'post_watches.post_id', 'post_commenters.post_id', 'reactions.post_id',
    'comments.id', 'comment_tallies.comment_id', 'comment_people.comment_id', 'comment_mentions.comment_id',
    'comment_reactions.comment_id', 'comment_announcements.comment_id'];
  names constant text[] := ARRAY(SELECT split_part(t, '.', 1) FROM unnest(tables) t);
  later text[];
  entry text;
  found record;
BEGIN
  -- What refers to or from these tables, their triggers and the views are made again once they are there.
  later := ARRAY(
    SELECT format('ALTER TABLE %s ADD CONSTRAINT %I %s', c.conrelid::regclass, c.conname, pg_get_constraintdef(c.oid))
    FROM pg_constraint c WHERE c.contype = 'f'
      AND (c.conrelid = ANY (names::regclass[]) OR c.confrelid = ANY (names::regclass[]))) ||
    ARRAY(SELECT pg_get_triggerdef(t.oid) FROM pg_trigger t WHERE NOT t.tgisinternal AND t.tgrelid = ANY (names::regclass[])) ||
    ARRAY(SELECT format('CREATE VIEW %I AS %s', relname, pg_get_viewdef(oid)) FROM pg_class
      WHERE relkind = 'v' AND relnamespace = 'public'::regnamespace);
  FOR found IN
    SELECT c.conrelid::regclass AS name, c.conname FROM pg_constraint c WHERE c.contype = 'f'
      AND (c.conrelid = ANY (names::regclass[]) OR c.confrelid = ANY (names::regclass[]))
  LOOP
    EXECUTE format('ALTER TABLE %s DROP CONSTRAINT %I', found.name, found.conname);
  END LOOP;
  FOREACH entry IN ARRAY tables LOOP
    EXECUTE format('ALTER TABLE %I RENAME TO plain', split_part(entry, '.', 1));
    EXECUTE format('CREATE TABLE %I (LIKE plain INCLUDING ALL EXCLUDING STORAGE) PARTITION BY HASH (%I uuid_bucket_ops)',
      split_part(entry, '.', 1), split_part(entry, '.', 2));
    FOR i IN 0 .. parts - 1 LOOP
      EXECUTE format('CREATE TABLE %I PARTITION OF %I FOR VALUES WITH (MODULUS %s, REMAINDER %s)',
        split_part(entry, '.', 1) || '_part_' || i, split_part(entry, '.', 1), parts, i);
    END LOOP;
    EXECUTE 'DROP TABLE plain CASCADE';
  END LOOP;
  FOREACH entry IN ARRAY later LOOP
    EXECUTE entry;
  END LOOP;
END $$;
