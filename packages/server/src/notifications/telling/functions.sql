-- Who is told of what. An act tells one person once: the row of notification_acts is there for good, and where it names a notification, it
-- shows in that. Locks are taken in this order: counts, telling itself (hold_telling), notifications by (user, kind, target), acts.

-- An id by RFC 9562, version 7: the milliseconds, then chance. One expression without settings of its own, so that it is put in the place
-- of its call.
CREATE OR REPLACE FUNCTION new_uuid7() RETURNS uuid LANGUAGE sql VOLATILE AS $$
  SELECT encode(set_bit(set_bit(overlay(uuid_send(gen_random_uuid())
    PLACING substring(int8send((extract(epoch FROM clock_timestamp()) * 1000)::bigint) FROM 3) FROM 1 FOR 6), 52, 1), 53, 1), 'hex')::uuid
$$;

-- Who tells people of something holds this beside others who do; who keeps two people apart, or takes posts away, holds it alone, for the
-- rest of a transaction that holds its counts already. So one sees what the other did. Cost: a lock in memory.
CREATE OR REPLACE FUNCTION hold_telling(alone boolean) RETURNS void LANGUAGE plpgsql SET jit = off AS $$
BEGIN
  IF alone THEN
    PERFORM pg_advisory_xact_lock(hashtext('gather-lane telling'));
  ELSE
    PERFORM pg_advisory_xact_lock_shared(hashtext('gather-lane telling'));
  END IF;
END $$;

-- Tells people of acts: of things (a post, a comment, or whom one follows), by actors, to users. For each of them the kinds stand in the
-- order in which they are preferred, each with what it gathers at; on_posts are the posts that they are on, null for a follow. Nobody is
-- told of their own act, twice of the same, across a mute or a block, of what they cannot see, or of a kind that they switched off. Cost:
-- some probes for each user, kind and post, one to five for each act, and a row for each act and each notification.
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
END $$;

-- Holds the notifications in which acts show now, whatever moves them meanwhile. Cost: some probes for each act.
CREATE OR REPLACE FUNCTION hold_notifications(things uuid[], actors uuid[], users uuid[]) RETURNS uuid[] LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
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
END $$;

-- Acts that are taken back show no more and are told to nobody again, whether anybody was told of them or not; of who is being erased
-- nothing is remembered. A notification goes with its last act. Cost: a row version for each act.
CREATE OR REPLACE FUNCTION end_acts(things uuid[], actors uuid[], users uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off SET plan_cache_mode = force_generic_plan AS $$
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
END $$;

-- What is told of posts ends: they are out of sight. Cost: a row version for each act.
CREATE OR REPLACE FUNCTION end_acts_on_posts(posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM hold_telling(true);
  PERFORM end_acts(array_agg(d.thing_id), array_agg(d.actor_id), array_agg(d.user_id))
  FROM notifications n JOIN notification_acts d ON d.notification_id = n.id WHERE n.post_id = ANY (posts) HAVING count(*) > 0;
END $$;

-- What is told of comments on posts ends, and of what answers them. Cost: a row version for each act.
CREATE OR REPLACE FUNCTION end_acts_on_comments(comments uuid[], posts uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM end_acts(array_agg(thing_id), array_agg(actor_id), array_agg(user_id)) FROM (
    SELECT d.thing_id, d.actor_id, d.user_id FROM notification_acts d WHERE d.thing_id = ANY (comments) AND d.notification_id IS NOT NULL
    UNION SELECT d.thing_id, d.actor_id, d.user_id FROM unnest(comments, posts) AS c (id, post_id)
      JOIN notifications n ON n.post_id = c.post_id AND n.target_id = c.id JOIN notification_acts d ON d.notification_id = n.id
  ) a HAVING count(*) > 0;
END $$;

-- What is gone for good is told of no more, so nothing of it needs to be remembered. Cost: a probe for each.
CREATE OR REPLACE FUNCTION forget_acts_on(things uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM notification_acts WHERE thing_id = ANY (things);
END $$;

-- A mention in a comment that an edit took away: where the comment still answers them, or is on their post or one that they watch, they
-- were told of that, in silence; else the act is taken back. Cost: some probes for each.
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
END $$;

-- The same in a post, where nothing else is told. Cost: that of end_acts.
CREATE OR REPLACE FUNCTION end_post_mentions(posts uuid[], users uuid[]) RETURNS void LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  PERFORM end_acts(array_agg(p.id), array_agg(p.author_id), array_agg(a.user_id))
  FROM unnest(posts, users) AS a (id, user_id) JOIN posts p ON p.id = a.id HAVING count(*) > 0;
END $$;

-- Marks as seen what a list of a user could show: their open notifications of some kinds, so many at a time, as far as the snapshot of that
-- list shows their acts. One that has acts which it does not show is split: what it shows is seen, the rest is a notification of its own.
-- Cost: a row version for each, and a walk of notifications_open past those that were made since.
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
END $$;

-- Two who are kept apart hear nothing of each other any more, nor of what happens on each other's posts. Cost: their acts, and a probe for
-- each notification of both.
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
END $$;
CREATE OR REPLACE TRIGGER blocks_inserted AFTER INSERT ON blocks
  REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_blocks_inserted();

-- A notification that is removed by the sweep leaves the memory of its acts; one that goes with its user leaves none. Cost: a row version
-- for each of them.
CREATE OR REPLACE FUNCTION after_notifications_deleted() RETURNS trigger LANGUAGE plpgsql
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  DELETE FROM notification_acts WHERE notification_id IN (
    SELECT o.id FROM old_rows o WHERE NOT EXISTS (SELECT FROM users u WHERE u.id = o.user_id AND u.erased_at IS NULL));
  UPDATE notification_acts SET notification_id = NULL WHERE notification_id IN (SELECT id FROM old_rows);
  RETURN NULL;
END $$;
CREATE OR REPLACE TRIGGER notifications_deleted AFTER DELETE ON notifications
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_notifications_deleted();

-- Who is gone for good did nothing that anybody was told of, and is told of nothing. Cost: a probe for each, and a row version for each act.
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
END $$;
CREATE OR REPLACE TRIGGER users_deleted AFTER DELETE ON users
  REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION after_users_deleted();

-- How many notifications of some kinds somebody has not seen, as far as they show anything, at most so many. Cost: so many entries of
-- notifications_open; while accounts are being erased, some probes for each.
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
END $$;

-- Whether anything shows in a notification while accounts are being erased: somebody who is there did something, on a post of somebody who
-- is. Cost: four probes.
CREATE OR REPLACE FUNCTION notification_shows(notification uuid, post uuid) RETURNS boolean LANGUAGE plpgsql STABLE
SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off AS $$
BEGIN
  RETURN (post IS NULL OR EXISTS (SELECT FROM posts p JOIN users o ON o.id = p.author_id WHERE p.id = post AND o.erased_at IS NULL))
    AND EXISTS (SELECT FROM notification_acts d JOIN users u ON u.id = d.actor_id WHERE d.notification_id = notification AND u.erased_at IS NULL);
END $$;
