import type { MigrationInterface, QueryRunner } from 'typeorm';
import { standFunction as standFunctionBefore } from './1764000000012-weightings.js';

const BATCH = 1_000;
/** Replies deeper than this were given a place beside what they answer. */
const DEEPEST = 4;

/** The conversation: threads, and what texts name. */
export class Conversation1764000000017 implements MigrationInterface {
  readonly name = 'Conversation1764000000017';

  async up(runner: QueryRunner): Promise<void> {
    for (const table of ['posts', 'comments']) {
      await runner.query(`
        ALTER TABLE ${table}
          ADD spans jsonb NOT NULL DEFAULT '[]' CONSTRAINT ${table}_spans CHECK (jsonb_typeof(spans) = 'array'),
          ADD reading integer NOT NULL DEFAULT 0`);
      await runner.query(
        `COMMENT ON COLUMN ${table}.spans IS 'What of the text is a hashtag (h), a mention (m) or a link (l): kind, from and to in code points, from and to in UTF-16 units, and what it is; derived from the text'`,
      );
      await runner.query(
        `COMMENT ON COLUMN ${table}.reading IS 'By which rules, and which Unicode, the text was read'`,
      );
    }
    await runner.query(`
      ALTER TABLE comments ADD under_id uuid, ADD depth smallint NOT NULL DEFAULT 0 CONSTRAINT comments_depth CHECK (depth >= 0),
        ADD CONSTRAINT comments_under FOREIGN KEY (post_id, under_id) REFERENCES comments (post_id, id) ON DELETE SET NULL (under_id)`);
    await runner.query(
      `COMMENT ON COLUMN comments.under_id IS 'The comment that this one stands under; another than parent_id, which it answers, where the thread is as deep as it may be'`,
    );
    await runner.query(`
      WITH RECURSIVE down AS (
        SELECT id, NULL::uuid AS under_id, 0 AS depth FROM comments WHERE parent_id IS NULL
        UNION ALL
        SELECT c.id, CASE WHEN d.depth < ${DEEPEST} THEN d.id ELSE d.under_id END, least(d.depth + 1, ${DEEPEST})
        FROM down d JOIN comments c ON c.parent_id = d.id
      )
      UPDATE comments c SET under_id = d.under_id, depth = d.depth FROM down d WHERE c.id = d.id AND d.depth > 0`);
    await runner.query(`CREATE INDEX comments_thread ON comments (post_id, under_id)`);

    await runner.query(`
      ALTER TABLE comment_tallies ADD post_id uuid, ADD place_id uuid, ADD created_at timestamptz(3), ADD in_sight boolean,
        ADD replies integer NOT NULL DEFAULT 0 CONSTRAINT comment_tallies_replies CHECK (replies >= 0),
        ADD people integer NOT NULL DEFAULT 0 CONSTRAINT comment_tallies_people CHECK (people >= 0),
        ADD below integer NOT NULL DEFAULT 0 CONSTRAINT comment_tallies_below CHECK (below >= 0)`);
    await runner.query(`
      INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
      SELECT id, post_id, coalesce(under_id, post_id), created_at, deleted_at IS NULL FROM comments
      ON CONFLICT (comment_id) DO UPDATE SET post_id = excluded.post_id, place_id = excluded.place_id, created_at = excluded.created_at, in_sight = excluded.in_sight`);
    await runner.query(`
      ALTER TABLE comment_tallies ALTER post_id SET NOT NULL, ALTER place_id SET NOT NULL, ALTER created_at SET NOT NULL, ALTER in_sight SET NOT NULL`);
    await runner.query(`COMMENT ON TABLE comment_tallies IS 'Counts about comments, and where they stand'`);
    await runner.query(
      `COMMENT ON COLUMN comment_tallies.place_id IS 'The comment that it stands under; the post, for those at the top'`,
    );
    await runner.query(
      `COMMENT ON COLUMN comment_tallies.below IS 'How many of those directly under it show, or have something below that does'`,
    );
    // A value for the top, where under_id IS NULL would give no order; only what shows, itself or as a marker.
    for (const [name, columns] of [
      ['place', 'place_id, created_at, comment_id'],
      ['place_lively', 'place_id, people, comment_id'],
      ['post', 'post_id, created_at, comment_id'],
      ['post_lively', 'post_id, people, comment_id'],
    ])
      await runner.query(
        `CREATE INDEX comment_tallies_${name} ON comment_tallies (${columns}) WHERE in_sight OR below > 0`,
      );
    await runner.query(`DROP INDEX comments_conversation, comments_markers`);
    await runner.query(`
      CREATE TABLE comment_people (
        comment_id  uuid NOT NULL REFERENCES comments ON DELETE CASCADE,
        user_id     uuid NOT NULL,
        n           integer NOT NULL CONSTRAINT comment_people_n CHECK (n > 0),
        PRIMARY KEY (comment_id, user_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE comment_people IS 'How many visible replies and reactions one person, not the author, has to a comment; no foreign key to users, since its rows follow those'`,
    );

    await runner.query(`
      CREATE TABLE hashtags (
        id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
        name        text NOT NULL CONSTRAINT hashtags_name UNIQUE,
        shown       text NOT NULL,
        posts       integer NOT NULL DEFAULT 0 CONSTRAINT hashtags_posts CHECK (posts >= 0),
        people      integer NOT NULL DEFAULT 0 CONSTRAINT hashtags_people CHECK (people >= 0),
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      ) WITH (fillfactor = 80)`);
    await runner.query(
      `COMMENT ON TABLE hashtags IS 'Words that posts gather under: by their folded form, shown as first written, with how many posts in sight and people there are'`,
    );
    await runner.query(`CREATE INDEX hashtags_prefix ON hashtags (name text_pattern_ops)`);
    await runner.query(`CREATE INDEX hashtags_used ON hashtags (posts, id) WHERE posts > 0`);
    await runner.query(`
      CREATE TABLE hashtag_people (
        hashtag_id  bigint NOT NULL REFERENCES hashtags ON DELETE CASCADE,
        user_id     uuid NOT NULL,
        n           integer NOT NULL CONSTRAINT hashtag_people_n CHECK (n > 0),
        PRIMARY KEY (hashtag_id, user_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE hashtag_people IS 'How many posts in sight one person has under a hashtag; no foreign key to users, since its rows follow the posts'`,
    );
    await runner.query(`
      CREATE TABLE post_hashtags (
        post_id     uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        hashtag_id  bigint NOT NULL REFERENCES hashtags ON DELETE CASCADE,
        author_id   uuid NOT NULL,
        created_at  timestamptz(3) NOT NULL,
        PRIMARY KEY (post_id, hashtag_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE post_hashtags IS 'Which posts in sight gather under which hashtags, with what of a post never changes'`,
    );
    await runner.query(
      `CREATE INDEX post_hashtags_newest ON post_hashtags (hashtag_id, created_at, post_id) INCLUDE (author_id)`,
    );
    await runner.query(
      `CREATE INDEX post_hashtags_recent ON post_hashtags (created_at) INCLUDE (hashtag_id, author_id)`,
    );
    await runner.query(`
      CREATE TABLE lively_hashtags (
        over        text NOT NULL CONSTRAINT lively_hashtags_over CHECK (over IN ('day', 'week')),
        hashtag_id  bigint NOT NULL REFERENCES hashtags ON DELETE CASCADE,
        posts       integer NOT NULL,
        people      integer NOT NULL,
        lane_time   timestamptz(3) NOT NULL,
        made_at     timestamptz(3) NOT NULL,
        PRIMARY KEY (over, hashtag_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE lively_hashtags IS 'The liveliest hashtags of the last day and week, made anew by a job'`,
    );
    await runner.query(`CREATE INDEX lively_hashtags_hashtag ON lively_hashtags (hashtag_id)`);

    for (const thing of ['post', 'comment']) {
      await runner.query(`
        CREATE TABLE ${thing}_mentions (
          ${thing}_id  uuid NOT NULL REFERENCES ${thing}s ON DELETE CASCADE,
          user_id  uuid NOT NULL REFERENCES users ON DELETE CASCADE,
          PRIMARY KEY (${thing}_id, user_id)
        )`);
      await runner.query(`COMMENT ON TABLE ${thing}_mentions IS 'Whom ${thing}s mention, by their spans'`);
      await runner.query(`CREATE INDEX ${thing}_mentions_user ON ${thing}_mentions (user_id, ${thing}_id)`);
    }
    for (const table of ['posts', 'comments'])
      await runner.query(`CREATE INDEX ${table}_unread ON ${table} (id) WHERE reading <= 0`);
    await runner.query(`
      CREATE TABLE text_readings (
        version   integer PRIMARY KEY,
        total     bigint NOT NULL,
        done      bigint NOT NULL DEFAULT 0,
        begun_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        ended_at  timestamptz(3)
      )`);
    await runner.query(
      `COMMENT ON TABLE text_readings IS 'How far texts from before a change of the rules are read anew'`,
    );

    for (const sql of REFERENCES) await runner.query(sql);
    for (const sql of THREADS) await runner.query(sql);
    await runner.query(`DROP FUNCTION count_comment_reactions(uuid[], text[], integer[])`);
    await recount(runner);

    await runner.query(
      `ALTER TABLE weightings ADD highest_lift_ms bigint NOT NULL DEFAULT 0, ADD lowest_lift_ms bigint NOT NULL DEFAULT 0`,
    );
    const live = (await runner.query(
      `SELECT id FROM weightings WHERE to_regclass('standings_' || id) IS NOT NULL`,
    )) as { id: number }[];
    for (const { id } of live) {
      await runner.query(standFunction(id));
      await runner.query(raiseBounds(id, 'true'));
    }
  }

  async down(runner: QueryRunner): Promise<void> {
    const live = (await runner.query(
      `SELECT id FROM weightings WHERE to_regclass('standings_' || id) IS NOT NULL`,
    )) as { id: number }[];
    for (const { id } of live) await runner.query(standFunctionBefore(id));
    await runner.query(`ALTER TABLE weightings DROP highest_lift_ms, DROP lowest_lift_ms`);
    for (const sql of BEFORE) await runner.query(sql);
    await runner.query(`DROP TRIGGER comment_tallies_deleted ON comment_tallies`);
    for (const table of ['posts', 'comments'])
      for (const n of [1, 2, 3]) await runner.query(`DROP TRIGGER ${table}_text_${n} ON ${table}`);
    await runner.query(`DROP FUNCTION text_is_unread, text_is_read, text_names_nothing`);
    await runner.query(
      `DROP TABLE text_readings, comment_mentions, post_mentions, lively_hashtags, post_hashtags, hashtag_people, hashtags, comment_people`,
    );
    await runner.query(`DROP FUNCTION after_comment_tallies_deleted, after_post_hashtags_inserted, after_post_hashtags_deleted, set_hashtags,
      hashtags_by_spans, count_hashtags, set_post_mentions, set_comment_mentions, recount_threads, count_replies, carry_up, hold_threads,
      count_comment_people, count_comment_reactions(uuid[], uuid[], text[], integer[])`);
    await runner.query(
      `ALTER TABLE comment_tallies DROP post_id, DROP place_id, DROP created_at, DROP in_sight, DROP replies, DROP people, DROP below`,
    );
    await runner.query(`DELETE FROM comment_tallies WHERE reactions = '{}'`);
    await runner.query(
      `COMMENT ON TABLE comment_tallies IS 'Counts about comments; one that nobody ever reacted to has no row'`,
    );
    await runner.query(`ALTER TABLE comments DROP under_id, DROP depth`);
    for (const table of ['posts', 'comments']) await runner.query(`ALTER TABLE ${table} DROP spans, DROP reading`);
    await runner.query(
      `CREATE INDEX comments_conversation ON comments (post_id, created_at, id) WHERE deleted_at IS NULL`,
    );
    await runner.query(`CREATE INDEX comments_markers ON comments (post_id, created_at, id) WHERE author_id IS NULL`);
  }
}

/** The counts of all threads, so many posts at a time. */
async function recount(runner: QueryRunner): Promise<void> {
  for (let after = '00000000-0000-0000-0000-000000000000'; ;) {
    const rows = (await runner.query(
      `SELECT DISTINCT post_id AS id FROM comments WHERE post_id > $1 ORDER BY post_id LIMIT ${BATCH}`,
      [after],
    )) as { id: string }[];
    if (rows.length === 0) return;
    after = rows.at(-1)!.id;
    await runner.query(`SELECT recount_threads($1)`, [rows.map(({ id }) => id)]);
  }
}

/** Words, mentions, and what follows a statement on posts. */
const REFERENCES = [
  `
CREATE OR REPLACE FUNCTION set_post_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM post_mentions m WHERE m.post_id = ANY (ids)
    AND NOT EXISTS (SELECT FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.post_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text);
  INSERT INTO post_mentions (post_id, user_id)
  SELECT DISTINCT t.id, u.id FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$`,
  `
CREATE OR REPLACE FUNCTION set_comment_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM comment_mentions m WHERE m.comment_id = ANY (ids)
    AND NOT EXISTS (SELECT FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.comment_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text);
  INSERT INTO comment_mentions (comment_id, user_id)
  SELECT DISTINCT t.id, u.id FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$`,
  `
CREATE OR REPLACE FUNCTION text_is_unread() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.reading := -abs(NEW.reading);
  RETURN NEW;
END $$`,
  `
CREATE OR REPLACE FUNCTION text_is_read() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.reading := abs(NEW.reading);
  RETURN NEW;
END $$`,
  `
CREATE OR REPLACE FUNCTION text_names_nothing() RETURNS trigger LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  NEW.spans := '[]';
  RETURN NEW;
END $$`,
  `
CREATE OR REPLACE TRIGGER posts_text_1 BEFORE UPDATE OF body ON posts
  FOR EACH ROW WHEN (OLD.body IS DISTINCT FROM NEW.body) EXECUTE FUNCTION text_is_unread()`,
  `
CREATE OR REPLACE TRIGGER posts_text_2 BEFORE UPDATE OF reading ON posts
  FOR EACH ROW WHEN (NEW.reading < 0) EXECUTE FUNCTION text_is_read()`,
  `
CREATE OR REPLACE TRIGGER posts_text_3 BEFORE UPDATE OF body ON posts
  FOR EACH ROW WHEN (NEW.reading <= 0) EXECUTE FUNCTION text_names_nothing()`,
  `
CREATE OR REPLACE TRIGGER comments_text_1 BEFORE UPDATE OF body ON comments
  FOR EACH ROW WHEN (OLD.body IS DISTINCT FROM NEW.body) EXECUTE FUNCTION text_is_unread()`,
  `
CREATE OR REPLACE TRIGGER comments_text_2 BEFORE UPDATE OF reading ON comments
  FOR EACH ROW WHEN (NEW.reading < 0) EXECUTE FUNCTION text_is_read()`,
  `
CREATE OR REPLACE TRIGGER comments_text_3 BEFORE UPDATE OF body ON comments
  FOR EACH ROW WHEN (NEW.reading <= 0) EXECUTE FUNCTION text_names_nothing()`,
  `
CREATE OR REPLACE FUNCTION count_hashtags(tags bigint[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM hashtags WHERE id = ANY (tags) ORDER BY id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT hashtag_id, user_id, sum(sign)::integer AS d
    FROM unnest(tags, users, signs) AS a (hashtag_id, user_id, sign) GROUP BY hashtag_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.hashtag_id, a.user_id, a.d, coalesce(p.n, 0) AS n
    FROM acts a LEFT JOIN hashtag_people p ON p.hashtag_id = a.hashtag_id AND p.user_id = a.user_id
  ), gone AS (
    DELETE FROM hashtag_people p USING known k
    WHERE p.hashtag_id = k.hashtag_id AND p.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE hashtag_people p SET n = k.n + k.d FROM known k
    WHERE p.hashtag_id = k.hashtag_id AND p.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO hashtag_people (hashtag_id, user_id, n)
    SELECT hashtag_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE hashtags h SET posts = h.posts + s.posts, people = h.people + s.people
  FROM (SELECT hashtag_id, sum(d)::integer AS posts,
               sum(CASE WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY hashtag_id) s
  WHERE h.id = s.hashtag_id;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_post_hashtags_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_hashtags(array_agg(hashtag_id), array_agg(author_id), array_agg(1)) FROM new_rows HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER post_hashtags_inserted AFTER INSERT ON post_hashtags
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_hashtags_inserted()`,
  `
CREATE OR REPLACE FUNCTION after_post_hashtags_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_hashtags(array_agg(hashtag_id), array_agg(author_id), array_agg(-1)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER post_hashtags_deleted AFTER DELETE ON post_hashtags
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_hashtags_deleted()`,
  `
CREATE OR REPLACE FUNCTION set_hashtags(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  -- In the order of their names, so that two who make the same ones wait for each other and no more.
  INSERT INTO hashtags (name, shown)
  SELECT name, shown FROM (
    SELECT DISTINCT ON (s ->> 5) s ->> 5 AS name, substr(p.body, (s ->> 1)::integer + 2, (s ->> 2)::integer - (s ->> 1)::integer - 1) AS shown
    FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s
    WHERE p.id = ANY (ids) AND p.deleted_at IS NULL AND s ->> 0 = 'h' AND NOT EXISTS (SELECT FROM hashtags h WHERE h.name = s ->> 5)
    ORDER BY s ->> 5, p.created_at, p.id, (s ->> 1)::integer) made ORDER BY name
  ON CONFLICT (name) DO NOTHING;
  PERFORM FROM hashtags WHERE id IN (
    SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids)
    EXCEPT SELECT hashtag_id FROM hashtags_by_spans(ids)
    UNION (SELECT hashtag_id FROM hashtags_by_spans(ids) EXCEPT SELECT hashtag_id FROM post_hashtags WHERE post_id = ANY (ids))
  ) ORDER BY id FOR NO KEY UPDATE;
  DELETE FROM post_hashtags h WHERE h.post_id = ANY (ids)
    AND (h.post_id, h.hashtag_id, h.author_id, h.created_at) NOT IN (SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids));
  INSERT INTO post_hashtags (post_id, hashtag_id, author_id, created_at)
  SELECT post_id, hashtag_id, author_id, created_at FROM hashtags_by_spans(ids) ON CONFLICT DO NOTHING;
END $$`,
  `
CREATE OR REPLACE FUNCTION hashtags_by_spans(ids uuid[]) RETURNS TABLE(post_id uuid, hashtag_id bigint, author_id uuid, created_at timestamp with time zone) LANGUAGE sql STABLE AS $$
  SELECT DISTINCT p.id, h.id, p.author_id, p.created_at
  FROM posts p CROSS JOIN LATERAL jsonb_array_elements(p.spans) s JOIN hashtags h ON h.name = s ->> 5
  WHERE p.id = ANY (ids) AND p.deleted_at IS NULL AND s ->> 0 = 'h'
$$`,
  `
CREATE OR REPLACE FUNCTION after_posts_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO post_tallies (post_id) SELECT id FROM new_rows;
  PERFORM set_standings(array_agg(id)) FROM new_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (1 * count(*))::integer AS n FROM new_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
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
  RETURN NULL;
END $$`,
];

/** What some of them were before. */
const BEFORE = [
  `
CREATE OR REPLACE FUNCTION count_comment_reactions(comments uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO comment_tallies (comment_id)
  SELECT c.id FROM comments c WHERE c.id = ANY (comments) ORDER BY c.id ON CONFLICT DO NOTHING;
  PERFORM FROM comment_tallies WHERE comment_id = ANY (comments) ORDER BY comment_id FOR NO KEY UPDATE;
  UPDATE comment_tallies t SET reactions = add_counts(t.reactions, d.kinds, d.deltas)
  FROM (SELECT comment_id, array_agg(kind) AS kinds, array_agg(sign) AS deltas
        FROM unnest(comments, kinds, signs) AS a (comment_id, kind, sign) GROUP BY comment_id) d
  WHERE t.comment_id = d.comment_id;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n UNION ALL SELECT o.*, -1 FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(1))
  FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comments_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(d))
  FROM (SELECT post_id, author_id, sum(sign)::integer AS d FROM (
          SELECT post_id, author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT post_id, author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY post_id, author_id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comments_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(-1))
  FROM old_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_posts_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  INSERT INTO post_tallies (post_id) SELECT id FROM new_rows;
  PERFORM set_standings(array_agg(id)) FROM new_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (1 * count(*))::integer AS n FROM new_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_posts_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  moved uuid[];
BEGIN
  SELECT array_agg(id) INTO moved FROM (
    SELECT id FROM (
      SELECT id, author_id, deleted_at IS NULL AS visible, created_at FROM old_rows
      UNION SELECT id, author_id, deleted_at IS NULL, created_at FROM new_rows
    ) both_ways GROUP BY id HAVING count(*) > 1) m;
  IF moved IS NULL THEN
    RETURN NULL;
  END IF;
  PERFORM FROM post_tallies WHERE post_id = ANY (moved) ORDER BY post_id FOR NO KEY UPDATE;
  PERFORM set_standings(moved);
  PERFORM count_users(array_agg(author_id), array_agg(d), array_agg(0), array_agg(0))
  FROM (SELECT author_id, sum(sign)::integer AS d FROM (
          SELECT author_id, -1 AS sign FROM old_rows WHERE deleted_at IS NULL
          UNION ALL SELECT author_id, 1 FROM new_rows WHERE deleted_at IS NULL) signed
        GROUP BY author_id) r WHERE d <> 0 HAVING count(*) > 0;
  RETURN NULL;
END $$`,
];

/** Threads, and what follows a statement on comments and their reactions. */
const THREADS = [
  `
CREATE OR REPLACE FUNCTION count_comment_people(comments uuid[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  WITH acts AS MATERIALIZED (
    SELECT comment_id, user_id, sum(sign)::integer AS d
    FROM unnest(comments, users, signs) AS a (comment_id, user_id, sign) WHERE user_id IS NOT NULL
    GROUP BY comment_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.comment_id, a.user_id, a.d, coalesce(p.n, 0) AS n
    FROM acts a
    JOIN comments c ON c.id = a.comment_id AND c.author_id IS DISTINCT FROM a.user_id
    LEFT JOIN comment_people p ON p.comment_id = a.comment_id AND p.user_id = a.user_id
  ), gone AS (
    DELETE FROM comment_people p USING known k
    WHERE p.comment_id = k.comment_id AND p.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE comment_people p SET n = k.n + k.d FROM known k
    WHERE p.comment_id = k.comment_id AND p.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO comment_people (comment_id, user_id, n)
    SELECT comment_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE comment_tallies t SET people = t.people + s.people
  FROM (SELECT comment_id, sum(CASE WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY comment_id) s
  WHERE t.comment_id = s.comment_id AND s.people <> 0;
END $$`,
  `
CREATE OR REPLACE FUNCTION count_comment_reactions(comments uuid[], users uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM comment_tallies WHERE comment_id = ANY (comments) ORDER BY comment_id FOR NO KEY UPDATE;
  UPDATE comment_tallies t SET reactions = add_counts(t.reactions, d.kinds, d.deltas)
  FROM (SELECT comment_id, array_agg(kind) AS kinds, array_agg(sign) AS deltas
        FROM unnest(comments, kinds, signs) AS a (comment_id, kind, sign) GROUP BY comment_id) d
  WHERE t.comment_id = d.comment_id;
  PERFORM count_comment_people(comments, users, signs);
END $$`,
  `
CREATE OR REPLACE FUNCTION hold_threads(comments uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM comment_tallies WHERE comment_id IN (
    WITH RECURSIVE up AS (
      SELECT t.comment_id, t.place_id FROM comment_tallies t WHERE t.comment_id = ANY (comments)
      UNION SELECT t.comment_id, t.place_id FROM up JOIN comment_tallies t ON t.comment_id = up.place_id
    ) SELECT comment_id FROM up) ORDER BY comment_id FOR NO KEY UPDATE;
END $$`,
  `
CREATE OR REPLACE FUNCTION carry_up(comments uuid[], deltas integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  under uuid[] := comments;
  changes integer[] := deltas;
BEGIN
  WHILE under IS NOT NULL LOOP
    WITH summed AS MATERIALIZED (
      SELECT comment_id, sum(delta)::integer AS n FROM unnest(under, changes) AS a (comment_id, delta) GROUP BY comment_id HAVING sum(delta) <> 0
    ), moved AS (
      UPDATE comment_tallies t SET below = t.below + s.n FROM summed s WHERE t.comment_id = s.comment_id
      RETURNING t.place_id, t.post_id, t.in_sight, t.below AS now, t.below - s.n AS before
    )
    SELECT array_agg(place_id), array_agg(CASE WHEN now > 0 THEN 1 ELSE -1 END) INTO under, changes
    FROM moved WHERE NOT in_sight AND place_id <> post_id AND (before > 0) <> (now > 0);
  END LOOP;
END $$`,
  `
CREATE OR REPLACE FUNCTION count_replies(places uuid[], authors uuid[], replies integer[], shown integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM hold_threads(places);
  UPDATE comment_tallies t SET replies = t.replies + s.n
  FROM (SELECT comment_id, sum(d)::integer AS n FROM unnest(places, replies) AS a (comment_id, d) GROUP BY comment_id HAVING sum(d) <> 0) s
  WHERE t.comment_id = s.comment_id;
  PERFORM count_comment_people(places, authors, replies);
  PERFORM carry_up(places, shown);
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_tallies_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  places uuid[];
BEGIN
  SELECT array_agg(place_id) INTO places FROM old_rows WHERE place_id <> post_id AND (in_sight OR below > 0);
  IF places IS NOT NULL THEN
    PERFORM hold_threads(places);
    PERFORM carry_up(places, array_fill(-1, ARRAY[cardinality(places)]));
  END IF;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER comment_tallies_deleted AFTER DELETE ON comment_tallies
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_comment_tallies_deleted()`,
  `
CREATE OR REPLACE FUNCTION recount_threads(posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  deep integer;
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
  SELECT c.id, c.post_id, c.post_id, c.created_at, false FROM comments c WHERE c.post_id = ANY (posts) ORDER BY c.id ON CONFLICT DO NOTHING;
  PERFORM FROM comment_tallies WHERE comment_id IN (SELECT c.id FROM comments c WHERE c.post_id = ANY (posts)) ORDER BY comment_id FOR NO KEY UPDATE;
  WITH RECURSIVE down AS (
    SELECT c.id, 0 AS depth FROM comments c WHERE c.post_id = ANY (posts) AND c.under_id IS NULL
    UNION ALL SELECT c.id, d.depth + 1 FROM down d JOIN comments c ON c.under_id = d.id AND c.post_id = ANY (posts)
  )
  UPDATE comments c SET depth = d.depth FROM down d WHERE c.id = d.id AND c.depth <> d.depth;
  DELETE FROM comment_people p USING comments c WHERE c.id = p.comment_id AND c.post_id = ANY (posts);
  INSERT INTO comment_people (comment_id, user_id, n)
  SELECT comment_id, user_id, count(*) FROM (
    SELECT r.under_id AS comment_id, r.author_id AS user_id FROM comments r
    WHERE r.post_id = ANY (posts) AND r.under_id IS NOT NULL AND r.deleted_at IS NULL
    UNION ALL SELECT a.comment_id, a.user_id FROM comments c JOIN comment_reactions a ON a.comment_id = c.id WHERE c.post_id = ANY (posts)
  ) acts JOIN comments c ON c.id = acts.comment_id AND c.author_id IS DISTINCT FROM acts.user_id
  GROUP BY comment_id, user_id;
  UPDATE comment_tallies t SET place_id = coalesce(c.under_id, c.post_id), created_at = c.created_at, in_sight = c.deleted_at IS NULL, below = 0,
    replies = (SELECT count(*) FROM comments r WHERE r.post_id = c.post_id AND r.under_id = c.id AND r.deleted_at IS NULL),
    people = (SELECT count(*) FROM comment_people p WHERE p.comment_id = c.id),
    reactions = coalesce((SELECT jsonb_object_agg(kind, n) FROM (SELECT kind, count(*) AS n FROM comment_reactions r WHERE r.comment_id = c.id GROUP BY kind) k), '{}')
  FROM comments c WHERE c.id = t.comment_id AND c.post_id = ANY (posts);
  SELECT max(c.depth) INTO deep FROM comments c WHERE c.post_id = ANY (posts);
  FOR level IN REVERSE coalesce(deep, 0) .. 1 LOOP
    UPDATE comment_tallies t SET below = s.n
    FROM (SELECT r.place_id, count(*)::integer AS n FROM comments c JOIN comment_tallies r ON r.comment_id = c.id
          WHERE c.post_id = ANY (posts) AND c.depth = level AND (r.in_sight OR r.below > 0) GROUP BY r.place_id) s
    WHERE t.comment_id = s.place_id;
  END LOOP;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_updated() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT n.*, 1 AS sign FROM new_rows n UNION ALL SELECT o.*, -1 FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comments_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(1))
  FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  INSERT INTO comment_tallies (comment_id, post_id, place_id, created_at, in_sight)
  SELECT id, post_id, coalesce(under_id, post_id), created_at, deleted_at IS NULL FROM new_rows;
  PERFORM count_replies(array_agg(under_id), array_agg(author_id), array_agg(1), array_agg(1))
  FROM new_rows WHERE under_id IS NOT NULL AND deleted_at IS NULL HAVING count(*) > 0;
  PERFORM set_comment_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
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
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comments_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comments(array_agg(post_id), array_agg(author_id), array_agg(-1))
  FROM old_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
  PERFORM count_replies(array_agg(under_id), array_agg(author_id), array_agg(-1), array_agg(0))
  FROM old_rows WHERE under_id IS NOT NULL AND deleted_at IS NULL HAVING count(*) > 0;
  RETURN NULL;
END $$`,
];

const standingsBy = (weighting: string, where: string): string => `
  SELECT p.id AS post_id, p.author_id, lane_time(p.created_at, w.half_life_ms, w.base, k.carrying, k.holding)::timestamptz(3) AS lane_time
  FROM posts p
  JOIN post_tallies t ON t.post_id = p.id
  JOIN weightings w ON ${weighting}
  CROSS JOIN LATERAL pull(w.weights, t.comment_people, t.reactions, t.author_reaction) k
  WHERE p.deleted_at IS NULL AND ${where}`;

const raiseBounds = (weighting: number, where: string): string => `
  UPDATE weightings w SET highest_lift_ms = greatest(w.highest_lift_ms, l.highest + 3600000), lowest_lift_ms = least(w.lowest_lift_ms, l.lowest - 3600000)
  FROM (SELECT (extract(epoch FROM max(s.lane_time - p.created_at)) * 1000)::bigint AS highest, (extract(epoch FROM min(s.lane_time - p.created_at)) * 1000)::bigint AS lowest
        FROM standings_${weighting} s JOIN posts p ON p.id = s.post_id WHERE ${where}) l
  WHERE w.id = ${weighting} AND (l.highest > w.highest_lift_ms OR l.lowest < w.lowest_lift_ms)`;

const standFunction = (weighting: number): string => {
  const table = `standings_${weighting}`;
  return `
CREATE OR REPLACE FUNCTION stand_${weighting}(ids uuid[], keep_falls boolean) RETURNS void LANGUAGE plpgsql VOLATILE SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  WITH due AS MATERIALIZED (
    SELECT a.id, d.author_id, d.lane_time AS now, s.author_id AS author_before, s.lane_time AS before
    FROM (SELECT DISTINCT id FROM unnest(ids) AS i (id)) a
    -- OFFSET 0: asked anew for each post, by its key; two sets without an index would be compared pair by pair.
    LEFT JOIN LATERAL (${standingsBy(`w.id = ${weighting}`, 'p.id = a.id')} OFFSET 0) d ON true
    LEFT JOIN ${table} s ON s.post_id = a.id
  ), moved AS (
    UPDATE ${table} s SET lane_time = d.now, author_id = d.author_id FROM due d
    WHERE s.post_id = d.id AND d.now IS NOT NULL AND (d.before, d.author_before) <> (d.now, d.author_id)
  ), made AS (
    INSERT INTO ${table} (post_id, author_id, lane_time) SELECT id, author_id, now FROM due WHERE now IS NOT NULL AND before IS NULL
  ), withdrawn AS (
    DELETE FROM ${table} s USING due d WHERE s.post_id = d.id AND d.now IS NULL
  )
  INSERT INTO standing_drops (post_id, xid, from_lane_time, weighting)
  SELECT id, pg_current_xact_id(), before, ${weighting} FROM due
  WHERE keep_falls AND before IS NOT NULL AND (now IS NULL OR now < before)
  ON CONFLICT (post_id, xid) DO UPDATE SET from_lane_time = greatest(standing_drops.from_lane_time, excluded.from_lane_time);
${raiseBounds(weighting, 's.post_id = ANY (ids)')};
END $$`;
};
