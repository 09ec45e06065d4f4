import type { NotificationKind } from '@gather-lane/core';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import { prepared } from '../../ground/database/prepared.js';

/** So many of the latest acts of a notification are looked at for who acted. */
const LATEST = 400;
/** So much of a text is shown. */
const BEGINNING = 200;

/** The statement and rows below name a notification `n`. While accounts are being erased, what shows nothing any more is left out. */
const SHOWS = `(NOT EXISTS (SELECT FROM erasures) OR notification_shows(n.id, n.post_id))`;

const shown = (from: string, begun: string) => `
  SELECT b.snapshot, b.now, n.id, n.user_id, n.kind, NOT n.seen AS unseen, n.last_at, n.target_id, n.post_id, l.actors, l.people, l.thing_id,
    left(CASE WHEN n.kind = 'followed' THEN '' ELSE coalesce(
      (SELECT c.body FROM comments c WHERE c.id = CASE n.kind WHEN 'reacted' THEN n.target_id ELSE l.thing_id END),
      (SELECT p.body FROM posts p WHERE p.id = n.post_id), '') END, ${BEGINNING}) AS text
  FROM (${begun}) b LEFT JOIN (${from}) n ON true
  LEFT JOIN LATERAL (
    SELECT (array_agg(actor_id ORDER BY at DESC, actor_id DESC))[1:3] AS actors, (array_agg(thing_id ORDER BY at DESC, actor_id DESC))[1] AS thing_id,
      count(*)::integer AS people
    FROM (
      SELECT DISTINCT ON (actor_id) actor_id, at, thing_id FROM (
        SELECT d.actor_id, d.at, d.thing_id FROM notification_acts d WHERE d.notification_id = n.id
          AND EXISTS (SELECT FROM users u WHERE u.id = d.actor_id AND u.erased_at IS NULL)
        ORDER BY d.at DESC, d.actor_id DESC LIMIT ${LATEST}) latest
      ORDER BY actor_id, at DESC) people) l ON true`;

/**
 * A page of a user's notifications ($1) of some kinds ($2), the latest first, after a place ($3, $4), so many ($5), with the snapshot by which the
 * list began: this one's, or that of its first page ($6), which then leaves out what has risen or come since. Cost: a range of
 * notifications_listed, at most ${LATEST} acts of each and two probes for its text.
 */
export const LIST_NOTIFICATIONS = prepared(`
  ${shown(
    `SELECT n.* FROM notifications n
     WHERE n.user_id = $1 AND n.kind = ANY ($2::text[]) AND (n.last_at, n.id) < ($3::timestamptz, $4::uuid)
       AND ($6::text IS NULL OR pg_visible_in_snapshot(n.last_xid, $6::text::pg_snapshot)) AND ${SHOWS}
     ORDER BY n.last_at DESC, n.id DESC LIMIT $5`,
    `SELECT coalesce($6::text, pg_current_snapshot()::text) AS snapshot, clock_timestamp() AS now`,
  )} ORDER BY n.last_at DESC, n.id DESC`);

/** Some notifications, by their ids ($1), as that list shows them to whose they are. */
export const SOME_NOTIFICATIONS = `
  ${shown(
    `SELECT n.* FROM notifications n WHERE n.id = ANY ($1::uuid[]) AND ${SHOWS}`,
    `SELECT '' AS snapshot, clock_timestamp() AS now`,
  )} WHERE n.id IS NOT NULL ORDER BY n.last_at, n.id`;

/** A row of those statements; without an id where there is none. */
export interface NotificationRow {
  readonly snapshot: string;
  readonly now: Date;
  readonly id: string | null;
  readonly user_id: string;
  readonly kind: NotificationKind;
  readonly unseen: boolean;
  readonly last_at: Date;
  readonly target_id: string;
  readonly post_id: string | null;
  readonly actors: string[] | null;
  readonly people: number;
  readonly thing_id: string | null;
  readonly text: string;
}

/** Who acted ($1). Cost: a primary-key probe for each. */
export const ACTORS = `SELECT ${AUTHOR_COLUMNS} FROM users a WHERE a.id = ANY ($1::uuid[])`;
/** A row of that statement. */
export type ActorRow = AuthorColumns;

/** How many of some kinds ($2) somebody ($1) has not seen, at most so many ($3). Cost: so many entries of an index of nothing else. */
export const COUNT_UNSEEN = prepared(`SELECT count_unseen($1::uuid, $2::text[], $3::integer) AS n`);

/** The same of several users ($1). */
export const COUNT_UNSEEN_OF = `SELECT u.id AS user_id, count_unseen(u.id, $2::text[], $3::integer) AS n FROM unnest($1::uuid[]) AS u (id)`;

/** Whether a snapshot ($1) was taken in this database, and not in one that it was restored from. */
export const IS_OF_HERE = `SELECT pg_snapshot_xmax($1::text::pg_snapshot) <= pg_snapshot_xmax(pg_current_snapshot()) AS here`;

/** Marks as seen what a list of a user ($1), of some kinds ($2), could show by its snapshot ($3), so many at a time ($4). */
export const MARK_SEEN = `SELECT mark_seen($1::uuid, $2::text[], $3::text::pg_snapshot, $4::integer) AS n`;

/** Tells the other devices of somebody ($1) that they have looked. */
export const NOTE_SEEN = `SELECT note_event('notification.seen', ARRAY[$1::uuid], NULL)`;

/** What somebody ($1) switched off. */
export const CHOICES = `SELECT switched_off FROM notification_choices WHERE user_id = $1`;

/** Switches kinds off ($2) and on ($3) for somebody ($1), beside who changes others of theirs. Cost: one row version. */
export const CHOOSE = `
  INSERT INTO notification_choices AS c (user_id, switched_off) VALUES ($1, $2::text[])
  ON CONFLICT (user_id) DO UPDATE SET switched_off = ARRAY(
    SELECT DISTINCT k FROM unnest(c.switched_off || excluded.switched_off) k WHERE k <> ALL ($3::text[]) ORDER BY k)`;

/**
 * Removes what has been there longer than so many days ($1), so many at a time ($2): of those whose id was made before ($3), which nothing
 * raised since. Cost: a walk of the oldest part of the key.
 */
export const SWEEP = `
  DELETE FROM notifications WHERE id IN (
    SELECT id FROM notifications WHERE id < $3::uuid AND last_at < clock_timestamp() - make_interval(days => $1::integer)
    ORDER BY id LIMIT $2 FOR UPDATE SKIP LOCKED)`;
