import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Notifications, watching, what happened for whoever is connected, and what authors drew lately. */
export class Notifications1764000000018 implements MigrationInterface {
  readonly name = 'Notifications1764000000018';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE events (
        xid      xid8 NOT NULL DEFAULT pg_current_xact_id(),
        id       bigint GENERATED ALWAYS AS IDENTITY,
        kind     text NOT NULL,
        subjects uuid[],
        details  uuid[],
        made_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (xid, id)
      )`);
    await runner.query(
      `COMMENT ON TABLE events IS 'What happened, for whoever is connected: written in the transaction of what did, read by what a snapshot did not show, and kept a while'`,
    );
    await runner.query(
      `COMMENT ON COLUMN events.subjects IS 'Whom or what it is about; nobody is named where they are too many'`,
    );
    await runner.query(`
      CREATE TABLE event_readers (
        name     text PRIMARY KEY,
        snapshot text NOT NULL,
        read_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE event_readers IS 'How far a job has read the events: the snapshot that it has seen all of'`,
    );
    await runner.query(`
      CREATE TABLE notifications (
        id         uuid PRIMARY KEY,
        user_id    uuid NOT NULL,
        kind       text NOT NULL CONSTRAINT notifications_kind CHECK (kind IN ('followed', 'commented', 'replied', 'reacted', 'mentioned', 'watched')),
        target_id  uuid NOT NULL,
        post_id    uuid,
        seen       boolean NOT NULL DEFAULT false,
        opened_xid xid8 NOT NULL DEFAULT pg_current_xact_id(),
        last_xid   xid8 NOT NULL DEFAULT pg_current_xact_id(),
        last_at    timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        CONSTRAINT notifications_place CHECK ((kind = 'followed') = (post_id IS NULL))
      ) WITH (fillfactor = 90)`);
    await runner.query(
      `COMMENT ON TABLE notifications IS 'What people are told: acts of one kind on one target, gathered until they are seen. No foreign keys: a look at each costs a fifth of telling, and triggers end what is told of what goes'`,
    );
    await runner.query(
      `COMMENT ON COLUMN notifications.target_id IS 'What its acts are gathered at: a post, a comment, or the user who is followed'`,
    );
    await runner.query(
      `COMMENT ON COLUMN notifications.opened_xid IS 'The transaction of its first act: a list whose snapshot does not show that could not show the notification'`,
    );
    await runner.query(
      `CREATE UNIQUE INDEX notifications_open ON notifications (user_id, kind, target_id) WHERE NOT seen`,
    );
    await runner.query(`CREATE INDEX notifications_listed ON notifications (user_id, last_at, id)`);
    await runner.query(`CREATE INDEX notifications_target ON notifications (post_id, target_id)`);
    await runner.query(`
      CREATE TABLE notification_acts (
        thing_id        uuid NOT NULL,
        actor_id        uuid NOT NULL,
        user_id         uuid NOT NULL,
        notification_id uuid,
        xid             xid8 NOT NULL DEFAULT pg_current_xact_id(),
        at              timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (thing_id, actor_id, user_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE notification_acts IS 'Who was told of whose act on what, once and for good; without a notification where it shows in none any more. No foreign keys: its rows follow what they tell of'`,
    );
    await runner.query(
      `COMMENT ON COLUMN notification_acts.thing_id IS 'The post, the comment or the user: what was reacted to, followed, or says something'`,
    );
    await runner.query(
      `CREATE INDEX notification_acts_shown ON notification_acts (notification_id, at, actor_id) WHERE notification_id IS NOT NULL`,
    );
    await runner.query(`CREATE INDEX notification_acts_actor ON notification_acts (actor_id, user_id)`);
    await runner.query(
      `CREATE INDEX notification_acts_ended ON notification_acts (user_id) WHERE notification_id IS NULL`,
    );
    await runner.query(`
      CREATE TABLE notification_choices (
        user_id      uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        switched_off text[] NOT NULL
      )`);
    await runner.query(
      `COMMENT ON TABLE notification_choices IS 'Kinds of notification that somebody switched off; who left all on has no row'`,
    );
    await runner.query(`
      CREATE TABLE post_watches (
        post_id    uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        user_id    uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        watching   boolean NOT NULL DEFAULT true,
        created_at timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (post_id, user_id)
      )`);
    await runner.query(
      `COMMENT ON TABLE post_watches IS 'Who hears of new comments on a post; whoever left is remembered, so that a comment of theirs does not bring them back'`,
    );
    await runner.query(`CREATE INDEX post_watches_user ON post_watches (user_id, created_at, post_id)`);
    await runner.query(`
      CREATE TABLE comment_announcements (
        comment_id uuid PRIMARY KEY REFERENCES comments ON DELETE CASCADE,
        after_user uuid NOT NULL DEFAULT '00000000-0000-0000-0000-000000000000',
        made_at    timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE comment_announcements IS 'Comments that those who watch their posts are still to be told of, and how far that is done'`,
    );
    await runner.query(`
      CREATE TABLE author_draws (
        user_id uuid PRIMARY KEY REFERENCES users ON DELETE CASCADE,
        draw    double precision NOT NULL,
        made_at timestamptz(3) NOT NULL
      )`);
    await runner.query(
      `COMMENT ON TABLE author_draws IS 'What the posts of authors drew lately, made by a job; whose drew nothing has no row'`,
    );
    await runner.query(`CREATE INDEX author_draws_listed ON author_draws (draw, user_id)`);

    for (const sql of TELLING) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const sql of BEFORE) await runner.query(sql);
    await runner.query(`DROP TRIGGER blocks_inserted ON blocks`);
    await runner.query(`DROP TRIGGER users_deleted ON users`);
    await runner.query(
      `DROP TABLE author_draws, comment_announcements, post_watches, notification_choices, notification_acts, notifications, event_readers, events`,
    );
    await runner.query(
      `DROP FUNCTION note_event, new_uuid7, hold_telling, tell, hold_notifications, end_acts, end_acts_on_posts, end_acts_on_comments, forget_acts_on, end_comment_mentions, end_post_mentions, mark_seen, after_blocks_inserted, after_notifications_deleted, after_users_deleted, count_unseen, notification_shows`,
    );
  }
}

/** Telling, and what follows statements on what people are told of. */
const TELLING = [
  `
CREATE OR REPLACE FUNCTION note_event(kind text, subjects uuid[], details uuid[]) RETURNS void LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  IF cardinality(subjects) > 500 THEN
    INSERT INTO events (kind) VALUES (kind);
  ELSIF cardinality(subjects) > 0 THEN
    INSERT INTO events (kind, subjects, details) VALUES (kind, subjects, details);
  END IF;
END $$`,
  `
CREATE OR REPLACE FUNCTION new_uuid7() RETURNS uuid LANGUAGE sql VOLATILE AS $$
  SELECT encode(set_bit(set_bit(overlay(uuid_send(gen_random_uuid())
    PLACING substring(int8send((extract(epoch FROM clock_timestamp()) * 1000)::bigint) FROM 3) FROM 1 FOR 6), 52, 1), 53, 1), 'hex')::uuid
$$`,
  `
CREATE OR REPLACE FUNCTION hold_telling(alone boolean) RETURNS void LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  IF alone THEN
    PERFORM pg_advisory_xact_lock(hashtext('gather-lane telling'));
  ELSE
    PERFORM pg_advisory_xact_lock_shared(hashtext('gather-lane telling'));
  END IF;
END $$`,
  `
CREATE OR REPLACE FUNCTION tell(things uuid[], actors uuid[], users uuid[], kinds text[], targets uuid[], on_posts uuid[]) RETURNS integer LANGUAGE plpgsql
SET enable_mergejoin = off SET enable_seqscan = off SET enable_bitmapscan = off SET plan_cache_mode = force_generic_plan SET jit = off AS $$
DECLARE
  hidden uuid[] := '{}';
  apart boolean;
  act record;
  told uuid[];
  shown uuid[];
BEGIN
  PERFORM hold_telling(false);
  -- Comments among them; where all are acts on posts themselves, there is none. By their ids, not by the index of all that are out of sight.
  IF things IS DISTINCT FROM on_posts OR targets IS DISTINCT FROM on_posts THEN
    hidden := ARRAY(SELECT c.id FROM comments c WHERE c.id = ANY (things || targets) AND (c.deleted_at IS NOT NULL) IS TRUE);
  END IF;
  -- Whether any of them keeps away from anybody, or is kept away from: of most, nothing is to be asked for each act.
  apart := EXISTS (SELECT FROM mutes m WHERE m.muter_id = ANY (users)) OR EXISTS (SELECT FROM mutes m WHERE m.muted_id = ANY (users))
    OR EXISTS (SELECT FROM blocks b WHERE b.blocker_id = ANY (users)) OR EXISTS (SELECT FROM blocks b WHERE b.blocked_id = ANY (users));
  WITH hearing AS MATERIALIZED (
    SELECT w.user_id, w.kind, w.place FROM (
      SELECT DISTINCT a.user_id, a.kind, a.post_id, coalesce(a.post_id, a.user_id) AS place FROM unnest(users, kinds, on_posts) AS a (user_id, kind, post_id)) w
    JOIN users u ON u.id = w.user_id AND u.erased_at IS NULL
    WHERE NOT EXISTS (SELECT FROM notification_choices c WHERE c.user_id = w.user_id AND w.kind = ANY (c.switched_off))
      AND (w.post_id IS NULL OR EXISTS (
        SELECT FROM posts p JOIN users o ON o.id = p.author_id AND o.erased_at IS NULL
        WHERE p.id = w.post_id AND p.deleted_at IS NULL
          AND NOT EXISTS (SELECT FROM blocks b WHERE b.blocker_id = o.id AND b.blocked_id = w.user_id)
          AND NOT EXISTS (SELECT FROM blocks b WHERE b.blocker_id = w.user_id AND b.blocked_id = o.id)))
  ), welcome AS (
    SELECT DISTINCT ON (a.thing_id, a.actor_id, a.user_id) a.*
    FROM unnest(things, actors, users, kinds, targets, on_posts) WITH ORDINALITY AS a (thing_id, actor_id, user_id, kind, target_id, post_id, n)
    WHERE a.actor_id <> a.user_id AND a.thing_id <> ALL (hidden) AND a.target_id <> ALL (hidden)
      -- Looked up in a hashed set: a join of the two would compare each with each.
      AND ((a.user_id, a.kind, coalesce(a.post_id, a.user_id)) IN (SELECT h.user_id, h.kind, h.place FROM hearing h)) IS TRUE
      AND NOT EXISTS (SELECT FROM notification_acts d WHERE d.thing_id = a.thing_id AND d.actor_id = a.actor_id AND d.user_id = a.user_id)
      AND NOT (apart AND (
        EXISTS (SELECT FROM mutes m WHERE m.muter_id = a.user_id AND m.muted_id = a.actor_id)
        OR EXISTS (SELECT FROM mutes m WHERE m.muter_id = a.actor_id AND m.muted_id = a.user_id)
        OR EXISTS (SELECT FROM blocks b WHERE b.blocker_id = a.user_id AND b.blocked_id = a.actor_id)
        OR EXISTS (SELECT FROM blocks b WHERE b.blocker_id = a.actor_id AND b.blocked_id = a.user_id)))
    ORDER BY a.thing_id, a.actor_id, a.user_id, a.n
  )
  SELECT array_agg(thing_id) AS things, array_agg(actor_id) AS actors, array_agg(user_id) AS users, array_agg(kind) AS kinds,
    array_agg(target_id) AS targets, array_agg(post_id) AS on_posts INTO act FROM welcome;
  IF act.things IS NULL THEN
    RETURN 0;
  END IF;
  INSERT INTO notifications (id, user_id, kind, target_id, post_id)
  SELECT new_uuid7(), w.user_id, w.kind, w.target_id, w.post_id FROM (
    SELECT DISTINCT * FROM unnest(act.users, act.kinds, act.targets, act.on_posts) AS w (user_id, kind, target_id, post_id)) w
  ORDER BY w.user_id, w.kind, w.target_id
  ON CONFLICT (user_id, kind, target_id) WHERE NOT seen DO UPDATE SET last_xid = pg_current_xact_id(), last_at = clock_timestamp();
  -- They are held now: the open ones of this statement are those.
  WITH acts AS (
    INSERT INTO notification_acts (thing_id, actor_id, user_id, notification_id)
    SELECT w.thing_id, w.actor_id, w.user_id, n.id
    FROM unnest(act.things, act.actors, act.users, act.kinds, act.targets) AS w (thing_id, actor_id, user_id, kind, target_id)
    JOIN notifications n ON n.user_id = w.user_id AND n.kind = w.kind AND n.target_id = w.target_id AND NOT n.seen
    ON CONFLICT DO NOTHING RETURNING user_id, notification_id
  )
  SELECT array_agg(user_id), array_agg(notification_id) INTO told, shown FROM (SELECT DISTINCT user_id, notification_id FROM acts) a;
  PERFORM note_event('notification.made', told, shown);
  RETURN coalesce(cardinality(told), 0);
END $$`,
  `
CREATE OR REPLACE FUNCTION hold_notifications(things uuid[], actors uuid[], users uuid[]) RETURNS uuid[] LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  held uuid[] := '{}';
  shown uuid[];
BEGIN
  LOOP
    SELECT coalesce(array_agg(DISTINCT d.notification_id), '{}') INTO shown
    FROM unnest(things, actors, users) AS a (thing_id, actor_id, user_id)
    JOIN notification_acts d ON d.thing_id = a.thing_id AND d.actor_id = a.actor_id AND d.user_id = a.user_id
    WHERE d.notification_id IS NOT NULL;
    EXIT WHEN shown <@ held;
    held := held || shown;
    PERFORM FROM notifications WHERE id = ANY (held) ORDER BY user_id, kind, target_id FOR UPDATE;
  END LOOP;
  RETURN held;
END $$`,
  `
CREATE OR REPLACE FUNCTION end_acts(things uuid[], actors uuid[], users uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  held uuid[] := hold_notifications(things, actors, users);
BEGIN
  INSERT INTO notification_acts (thing_id, actor_id, user_id)
  SELECT DISTINCT a.thing_id, a.actor_id, a.user_id FROM unnest(things, actors, users) AS a (thing_id, actor_id, user_id)
  WHERE a.actor_id <> a.user_id
    AND EXISTS (SELECT FROM users u WHERE u.id = a.actor_id AND u.erased_at IS NULL)
    AND EXISTS (SELECT FROM users u WHERE u.id = a.user_id AND u.erased_at IS NULL)
  ORDER BY a.thing_id, a.actor_id, a.user_id
  ON CONFLICT (thing_id, actor_id, user_id) DO UPDATE SET notification_id = NULL WHERE notification_acts.notification_id IS NOT NULL;
  IF held <> '{}' THEN
    DELETE FROM notification_acts d USING unnest(things, actors, users) AS a (thing_id, actor_id, user_id)
    WHERE d.thing_id = a.thing_id AND d.actor_id = a.actor_id AND d.user_id = a.user_id AND d.notification_id IS NOT NULL;
    PERFORM note_event('notification.ended', array_agg(DISTINCT user_id), NULL) FROM notifications WHERE id = ANY (held) HAVING count(*) > 0;
    DELETE FROM notifications n WHERE n.id = ANY (held) AND NOT EXISTS (SELECT FROM notification_acts d WHERE d.notification_id = n.id);
  END IF;
END $$`,
  `
CREATE OR REPLACE FUNCTION end_acts_on_posts(posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM hold_telling(true);
  PERFORM end_acts(array_agg(d.thing_id), array_agg(d.actor_id), array_agg(d.user_id))
  FROM notifications n JOIN notification_acts d ON d.notification_id = n.id WHERE n.post_id = ANY (posts) HAVING count(*) > 0;
END $$`,
  `
CREATE OR REPLACE FUNCTION end_acts_on_comments(comments uuid[], posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM end_acts(array_agg(thing_id), array_agg(actor_id), array_agg(user_id)) FROM (
    SELECT d.thing_id, d.actor_id, d.user_id FROM notification_acts d WHERE d.thing_id = ANY (comments) AND d.notification_id IS NOT NULL
    UNION SELECT d.thing_id, d.actor_id, d.user_id FROM unnest(comments, posts) AS c (id, post_id)
      JOIN notifications n ON n.post_id = c.post_id AND n.target_id = c.id JOIN notification_acts d ON d.notification_id = n.id
  ) a HAVING count(*) > 0;
END $$`,
  `
CREATE OR REPLACE FUNCTION forget_acts_on(things uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM notification_acts WHERE thing_id = ANY (things);
END $$`,
  `
CREATE OR REPLACE FUNCTION end_comment_mentions(comments uuid[], users uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  each record;
  held uuid[];
  shown notifications;
  other uuid;
BEGIN
  FOR each IN
    SELECT c.id, c.author_id, a.user_id, c.post_id, other_kind.kind, CASE other_kind.kind WHEN 'replied' THEN c.parent_id ELSE c.post_id END AS target_id
    FROM unnest(comments, users) AS a (id, user_id) JOIN comments c ON c.id = a.id AND c.author_id IS NOT NULL
    JOIN posts p ON p.id = c.post_id LEFT JOIN comments q ON q.id = c.parent_id
    LEFT JOIN notification_choices o ON o.user_id = a.user_id
    LEFT JOIN LATERAL (
      SELECT k.kind FROM (VALUES
        (1, 'replied', q.author_id = a.user_id AND q.deleted_at IS NULL), (2, 'commented', p.author_id = a.user_id),
        (3, 'watched', EXISTS (SELECT FROM post_watches w WHERE w.post_id = c.post_id AND w.user_id = a.user_id AND w.watching))
      ) AS k (n, kind, holds) WHERE k.holds AND c.deleted_at IS NULL AND NOT (k.kind = ANY (coalesce(o.switched_off, '{}')))
      ORDER BY k.n LIMIT 1) other_kind ON true
    ORDER BY a.user_id, c.id
  LOOP
    held := hold_notifications(ARRAY[each.id], ARRAY[each.author_id], ARRAY[each.user_id]);
    SELECT n.* INTO shown FROM notifications n JOIN notification_acts d ON d.notification_id = n.id
    WHERE d.thing_id = each.id AND d.actor_id = each.author_id AND d.user_id = each.user_id;
    IF shown.id IS NULL OR each.kind IS NULL THEN
      PERFORM end_acts(ARRAY[each.id], ARRAY[each.author_id], ARRAY[each.user_id]);
    ELSIF shown.kind = 'mentioned' THEN
      LOOP
        SELECT id INTO other FROM notifications
        WHERE user_id = each.user_id AND kind = each.kind AND target_id = each.target_id AND NOT seen AND NOT shown.seen FOR UPDATE;
        IF other IS NOT NULL THEN
          UPDATE notification_acts SET notification_id = other WHERE notification_id = shown.id;
          DELETE FROM notifications WHERE id = shown.id;
          EXIT;
        END IF;
        BEGIN
          UPDATE notifications SET kind = each.kind, target_id = each.target_id WHERE id = shown.id;
          EXIT;
        EXCEPTION WHEN unique_violation THEN
          -- Somebody told them of the same kind meanwhile: it is there now.
          NULL;
        END;
      END LOOP;
      PERFORM note_event('notification.ended', ARRAY[each.user_id], NULL);
    END IF;
  END LOOP;
END $$`,
  `
CREATE OR REPLACE FUNCTION end_post_mentions(posts uuid[], users uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM end_acts(array_agg(p.id), array_agg(p.author_id), array_agg(a.user_id))
  FROM unnest(posts, users) AS a (id, user_id) JOIN posts p ON p.id = a.id HAVING count(*) > 0;
END $$`,
  `
CREATE OR REPLACE FUNCTION mark_seen(who uuid, of_kinds text[], shown pg_snapshot, most integer) RETURNS integer LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_bitmapscan = off SET jit = off AS $$
DECLARE
  held uuid[];
  whole uuid[];
  mixed uuid[];
BEGIN
  SELECT array_agg(id) INTO held FROM (
    SELECT id FROM notifications
    WHERE user_id = who AND NOT seen AND kind = ANY (of_kinds) AND pg_visible_in_snapshot(opened_xid, shown)
    ORDER BY user_id, kind, target_id LIMIT most FOR UPDATE) h;
  IF held IS NULL THEN
    RETURN 0;
  END IF;
  -- Whoever added an act held the notification until they had committed: where the last is shown, all are.
  SELECT array_agg(id) FILTER (WHERE pg_visible_in_snapshot(last_xid, shown)),
    array_agg(id) FILTER (WHERE NOT pg_visible_in_snapshot(last_xid, shown) AND EXISTS (
      SELECT FROM notification_acts d WHERE d.notification_id = n.id AND pg_visible_in_snapshot(d.xid, shown))
      AND EXISTS (SELECT FROM notification_acts d WHERE d.notification_id = n.id AND NOT pg_visible_in_snapshot(d.xid, shown)))
  INTO whole, mixed FROM notifications n WHERE n.id = ANY (held);
  UPDATE notifications SET seen = true WHERE id = ANY (whole || mixed);
  -- The last of what it did not show was taken back: all that is left, it shows.
  UPDATE notifications n SET seen = true WHERE n.id = ANY (held) AND NOT n.seen
    AND NOT EXISTS (SELECT FROM notification_acts d WHERE d.notification_id = n.id AND NOT pg_visible_in_snapshot(d.xid, shown));
  -- All that it showed was taken back: what is left is new.
  UPDATE notifications n SET opened_xid = pg_current_xact_id() WHERE n.id = ANY (held) AND NOT n.seen;
  IF mixed IS NOT NULL THEN
    WITH rest AS (
      INSERT INTO notifications AS n (id, user_id, kind, target_id, post_id, last_xid, last_at)
      SELECT new_uuid7(), o.user_id, o.kind, o.target_id, o.post_id, o.last_xid, o.last_at FROM notifications o WHERE o.id = ANY (mixed)
      RETURNING n.id, n.user_id, n.kind, n.target_id
    )
    UPDATE notification_acts d SET notification_id = r.id
    FROM notifications o JOIN rest r ON r.user_id = o.user_id AND r.kind = o.kind AND r.target_id = o.target_id
    WHERE o.id = ANY (mixed) AND d.notification_id = o.id AND NOT pg_visible_in_snapshot(d.xid, shown);
    UPDATE notifications n SET last_at = l.at, last_xid = l.xid
    FROM unnest(mixed) AS m (id) CROSS JOIN LATERAL (
      SELECT d.at, d.xid FROM notification_acts d WHERE d.notification_id = m.id ORDER BY d.at DESC, d.actor_id DESC LIMIT 1) l
    WHERE n.id = m.id;
  END IF;
  RETURN cardinality(held);
END $$`,
  `
CREATE OR REPLACE FUNCTION after_blocks_inserted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM hold_telling(true);
  PERFORM end_acts(array_agg(thing_id), array_agg(actor_id), array_agg(user_id)) FROM (
    SELECT d.thing_id, d.actor_id, d.user_id
    FROM (SELECT blocker_id AS one, blocked_id AS other FROM new_rows UNION SELECT blocked_id, blocker_id FROM new_rows) b
    JOIN notification_acts d ON d.actor_id = b.one AND d.user_id = b.other WHERE d.notification_id IS NOT NULL
    UNION
    SELECT d.thing_id, d.actor_id, d.user_id
    FROM (SELECT blocker_id AS one, blocked_id AS other FROM new_rows UNION SELECT blocked_id, blocker_id FROM new_rows) b
    JOIN notifications n ON n.user_id = b.one JOIN posts p ON p.id = n.post_id AND p.author_id = b.other
    JOIN notification_acts d ON d.notification_id = n.id
  ) a HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER blocks_inserted AFTER INSERT ON blocks
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_blocks_inserted()`,
  `
CREATE OR REPLACE FUNCTION after_notifications_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM notification_acts WHERE notification_id IN (
    SELECT o.id FROM old_rows o WHERE NOT EXISTS (SELECT FROM users u WHERE u.id = o.user_id AND u.erased_at IS NULL));
  UPDATE notification_acts SET notification_id = NULL WHERE notification_id IN (SELECT id FROM old_rows);
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER notifications_deleted AFTER DELETE ON notifications
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_notifications_deleted()`,
  `
CREATE OR REPLACE FUNCTION after_users_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM end_acts(array_agg(d.thing_id), array_agg(d.actor_id), array_agg(d.user_id))
  FROM old_rows o JOIN notification_acts d ON d.actor_id = o.id WHERE d.notification_id IS NOT NULL HAVING count(*) > 0;
  DELETE FROM notifications WHERE user_id IN (SELECT id FROM old_rows);
  DELETE FROM notification_acts WHERE actor_id IN (SELECT id FROM old_rows);
  DELETE FROM notification_acts WHERE thing_id IN (SELECT id FROM old_rows);
  DELETE FROM notification_acts WHERE user_id IN (SELECT id FROM old_rows) AND notification_id IS NULL;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE TRIGGER users_deleted AFTER DELETE ON users
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_users_deleted()`,
  `
CREATE OR REPLACE FUNCTION count_unseen(who uuid, of_kinds text[], most integer) RETURNS integer LANGUAGE plpgsql STABLE
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_bitmapscan = off SET enable_sort = off SET jit = off AS $$
BEGIN
  IF EXISTS (SELECT FROM erasures) THEN
    RETURN (SELECT count(*) FROM (
      SELECT FROM notifications n WHERE n.user_id = who AND NOT n.seen AND n.kind = ANY (of_kinds) AND notification_shows(n.id, n.post_id)
      ORDER BY n.user_id, n.kind, n.target_id LIMIT most) u);
  END IF;
  RETURN (SELECT count(*) FROM (
    SELECT FROM notifications n WHERE n.user_id = who AND NOT n.seen AND n.kind = ANY (of_kinds) ORDER BY n.user_id, n.kind, n.target_id LIMIT most) u);
END $$`,
  `
CREATE OR REPLACE FUNCTION notification_shows(notification uuid, post uuid) RETURNS boolean LANGUAGE plpgsql STABLE
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  RETURN (post IS NULL OR EXISTS (SELECT FROM posts p JOIN users o ON o.id = p.author_id WHERE p.id = post AND o.erased_at IS NULL))
    AND EXISTS (SELECT FROM notification_acts d JOIN users u ON u.id = d.actor_id WHERE d.notification_id = notification AND u.erased_at IS NULL);
END $$`,
  `
CREATE OR REPLACE FUNCTION after_follows_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, -1 AS followers, 0 AS following FROM old_rows
        UNION ALL SELECT follower_id, 0, -1 FROM old_rows) r
  HAVING count(*) > 0;
  PERFORM end_acts(array_agg(followee_id), array_agg(follower_id), array_agg(followee_id)) FROM old_rows HAVING count(*) > 0;
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
  PERFORM end_acts_on_comments(array_agg(id), array_agg(post_id)) FROM (
    SELECT id, post_id FROM old_rows WHERE deleted_at IS NULL INTERSECT SELECT id, post_id FROM new_rows WHERE deleted_at IS NOT NULL) gone HAVING count(*) > 0;
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
  PERFORM end_acts_on_comments(array_agg(id), array_agg(post_id)), forget_acts_on(array_agg(id)) FROM old_rows HAVING count(*) > 0;
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
  PERFORM set_hashtags(array_agg(id)), set_post_mentions(array_agg(id)) FROM new_rows WHERE spans <> '[]' HAVING count(*) > 0;
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM new_rows WHERE deleted_at IS NULL HAVING count(*) > 0;
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
  PERFORM end_acts_on_posts(array_agg(id)) FROM (
    SELECT id FROM old_rows WHERE deleted_at IS NULL INTERSECT SELECT id FROM new_rows WHERE deleted_at IS NOT NULL) gone HAVING count(*) > 0;
  PERFORM note_event('post.counted', moved, NULL);
  PERFORM note_event('post.made', array_agg(author_id), array_agg(id)) FROM (
    SELECT id, author_id FROM old_rows WHERE deleted_at IS NOT NULL INTERSECT SELECT id, author_id FROM new_rows WHERE deleted_at IS NULL) back HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_posts_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_standings(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (-1 * count(*))::integer AS n FROM old_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  PERFORM end_acts_on_posts(array_agg(id)), forget_acts_on(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  PERFORM end_acts(array_agg(r.post_id), array_agg(r.user_id), array_agg(p.author_id))
  FROM old_rows r JOIN posts p ON p.id = r.post_id WHERE p.author_id <> r.user_id HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_comment_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_comment_reactions(array_agg(comment_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
  PERFORM end_acts(array_agg(r.comment_id), array_agg(r.user_id), array_agg(c.author_id))
  FROM old_rows r JOIN comments c ON c.id = r.comment_id WHERE c.author_id <> r.user_id HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION set_post_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  things uuid[];
  users uuid[];
BEGIN
  WITH gone AS (
    DELETE FROM post_mentions m WHERE m.post_id = ANY (ids)
      AND NOT EXISTS (SELECT FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.post_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text)
    RETURNING m.post_id AS id, m.user_id)
  SELECT array_agg(id), array_agg(user_id) INTO things, users FROM gone;
  IF things IS NOT NULL THEN
    PERFORM end_post_mentions(things, users);
  END IF;
  INSERT INTO post_mentions (post_id, user_id)
  SELECT DISTINCT t.id, u.id FROM posts t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$`,
  `
CREATE OR REPLACE FUNCTION set_comment_mentions(ids uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
DECLARE
  things uuid[];
  users uuid[];
BEGIN
  WITH gone AS (
    DELETE FROM comment_mentions m WHERE m.comment_id = ANY (ids)
      AND NOT EXISTS (SELECT FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE t.id = m.comment_id AND s ->> 0 = 'm' AND s ->> 5 = m.user_id::text)
    RETURNING m.comment_id AS id, m.user_id)
  SELECT array_agg(id), array_agg(user_id) INTO things, users FROM gone;
  IF things IS NOT NULL THEN
    PERFORM end_comment_mentions(things, users);
  END IF;
  INSERT INTO comment_mentions (comment_id, user_id)
  SELECT DISTINCT t.id, u.id FROM comments t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s JOIN users u ON u.id = (s ->> 5)::uuid
  WHERE t.id = ANY (ids) AND s ->> 0 = 'm' ORDER BY 1, 2 ON CONFLICT DO NOTHING;
END $$`,
  `
CREATE OR REPLACE FUNCTION count_comments(posts uuid[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT post_id, user_id, sum(sign)::integer AS d
    FROM unnest(posts, users, signs) AS a (post_id, user_id, sign) GROUP BY post_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.post_id, a.user_id, a.d, coalesce(c.n, 0) AS n, p.author_id = a.user_id AS own
    FROM acts a
    JOIN posts p ON p.id = a.post_id
    LEFT JOIN post_commenters c ON c.post_id = a.post_id AND c.user_id = a.user_id
  ), gone AS (
    DELETE FROM post_commenters c USING known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE post_commenters c SET n = k.n + k.d FROM known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO post_commenters (post_id, user_id, n)
    SELECT post_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE post_tallies t SET comments = t.comments + s.comments, comment_people = t.comment_people + s.people
  FROM (SELECT post_id, sum(d)::integer AS comments,
               sum(CASE WHEN own THEN 0 WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY post_id) s
  WHERE t.post_id = s.post_id;
  PERFORM set_standings(posts);
  PERFORM note_event('post.counted', array_agg(DISTINCT id), NULL) FROM unnest(posts) AS p (id) HAVING count(*) > 0;
END $$`,
  `
CREATE OR REPLACE FUNCTION count_reactions(posts uuid[], users uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT a.post_id, a.kind, sum(a.sign)::integer AS n, bool_or(a.user_id = p.author_id) AS own, p.author_id
    FROM unnest(posts, users, kinds, signs) AS a (post_id, user_id, kind, sign) JOIN posts p ON p.id = a.post_id
    GROUP BY a.post_id, a.kind, p.author_id
  )
  UPDATE post_tallies t
  SET reactions = add_counts(t.reactions, d.kinds, d.deltas),
      author_reaction = CASE WHEN d.own THEN (SELECT r.kind FROM reactions r WHERE r.post_id = t.post_id AND r.user_id = d.author_id) ELSE t.author_reaction END
  FROM (SELECT post_id, author_id, array_agg(kind) AS kinds, array_agg(n) AS deltas, bool_or(own) AS own FROM acts GROUP BY post_id, author_id) d
  WHERE t.post_id = d.post_id;
  PERFORM set_standings(posts);
  PERFORM note_event('post.counted', array_agg(DISTINCT id), NULL) FROM unnest(posts) AS p (id) HAVING count(*) > 0;
END $$`,
];

/** As they were before. */
const BEFORE = [
  `
CREATE OR REPLACE FUNCTION after_follows_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_users(array_agg(user_id), array_agg(0), array_agg(followers), array_agg(following))
  FROM (SELECT followee_id AS user_id, -1 AS followers, 0 AS following FROM old_rows
        UNION ALL SELECT follower_id, 0, -1 FROM old_rows) r
  HAVING count(*) > 0;
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
  `
CREATE OR REPLACE FUNCTION after_posts_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM set_standings(array_agg(id)) FROM old_rows HAVING count(*) > 0;
  PERFORM count_users(array_agg(author_id), array_agg(n), array_agg(0), array_agg(0))
  FROM (SELECT author_id, (-1 * count(*))::integer AS n FROM old_rows WHERE deleted_at IS NULL GROUP BY author_id ORDER BY author_id) r
  HAVING count(*) > 0;
  RETURN NULL;
END $$`,
  `
CREATE OR REPLACE FUNCTION after_reactions_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM count_reactions(array_agg(post_id), array_agg(user_id), array_agg(kind), array_agg(sign))
  FROM (SELECT o.*, -1 AS sign FROM old_rows o) r HAVING count(*) > 0;
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
CREATE OR REPLACE FUNCTION count_comments(posts uuid[], users uuid[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT post_id, user_id, sum(sign)::integer AS d
    FROM unnest(posts, users, signs) AS a (post_id, user_id, sign) GROUP BY post_id, user_id HAVING sum(sign) <> 0
  ), known AS MATERIALIZED (
    SELECT a.post_id, a.user_id, a.d, coalesce(c.n, 0) AS n, p.author_id = a.user_id AS own
    FROM acts a
    JOIN posts p ON p.id = a.post_id
    LEFT JOIN post_commenters c ON c.post_id = a.post_id AND c.user_id = a.user_id
  ), gone AS (
    DELETE FROM post_commenters c USING known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d <= 0
  ), moved AS (
    UPDATE post_commenters c SET n = k.n + k.d FROM known k
    WHERE c.post_id = k.post_id AND c.user_id = k.user_id AND k.n + k.d > 0
  ), came AS (
    INSERT INTO post_commenters (post_id, user_id, n)
    SELECT post_id, user_id, d FROM known WHERE n = 0 AND d > 0
  )
  UPDATE post_tallies t SET comments = t.comments + s.comments, comment_people = t.comment_people + s.people
  FROM (SELECT post_id, sum(d)::integer AS comments,
               sum(CASE WHEN own THEN 0 WHEN n = 0 AND d > 0 THEN 1 WHEN n > 0 AND n + d <= 0 THEN -1 ELSE 0 END)::integer AS people
        FROM known GROUP BY post_id) s
  WHERE t.post_id = s.post_id;
  PERFORM set_standings(posts);
END $$`,
  `
CREATE OR REPLACE FUNCTION count_reactions(posts uuid[], users uuid[], kinds text[], signs integer[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM FROM post_tallies WHERE post_id = ANY (posts) ORDER BY post_id FOR NO KEY UPDATE;
  WITH acts AS MATERIALIZED (
    SELECT a.post_id, a.kind, sum(a.sign)::integer AS n, bool_or(a.user_id = p.author_id) AS own, p.author_id
    FROM unnest(posts, users, kinds, signs) AS a (post_id, user_id, kind, sign) JOIN posts p ON p.id = a.post_id
    GROUP BY a.post_id, a.kind, p.author_id
  )
  UPDATE post_tallies t
  SET reactions = add_counts(t.reactions, d.kinds, d.deltas),
      author_reaction = CASE WHEN d.own THEN (SELECT r.kind FROM reactions r WHERE r.post_id = t.post_id AND r.user_id = d.author_id) ELSE t.author_reaction END
  FROM (SELECT post_id, author_id, array_agg(kind) AS kinds, array_agg(n) AS deltas, bool_or(own) AS own FROM acts GROUP BY post_id, author_id) d
  WHERE t.post_id = d.post_id;
  PERFORM set_standings(posts);
END $$`,
];
