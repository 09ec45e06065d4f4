import { prepared } from '../../ground/database/prepared.js';
import { keyset } from '../../ground/database/keyset.js';

/**
 * After comments ($1) that were made together: who wrote one watches its post from then on, unless they left it once, and those who
 * watch it are to be told. Cost: two probes of the key and at most two rows for each, however many watch.
 */
export const AFTER_COMMENTS = prepared(`
  WITH made AS MATERIALIZED (
    SELECT id, post_id, author_id, created_at FROM comments WHERE id = ANY ($1::uuid[])
  ), own AS (
    INSERT INTO post_watches (post_id, user_id, created_at)
    SELECT post_id, author_id, min(created_at) FROM made GROUP BY post_id, author_id ORDER BY post_id, author_id ON CONFLICT DO NOTHING
  )
  INSERT INTO comment_announcements (comment_id)
  SELECT m.id FROM made m
  WHERE EXISTS (SELECT FROM post_watches w WHERE w.post_id = m.post_id AND w.watching AND w.user_id <> m.author_id)
    OR EXISTS (SELECT FROM made o WHERE o.post_id = m.post_id AND o.author_id <> m.author_id)`);

/** Watches a post; doing it again changes nothing. */
export const WATCH = `
  INSERT INTO post_watches AS w (post_id, user_id) VALUES ($1, $2)
  ON CONFLICT (post_id, user_id) DO UPDATE SET watching = true, created_at = clock_timestamp() WHERE NOT w.watching
  RETURNING post_id`;

/** Watches it no more, which is remembered also of who did not watch it. */
export const UNWATCH = `
  INSERT INTO post_watches AS w (post_id, user_id, watching) VALUES ($1, $2, false)
  ON CONFLICT (post_id, user_id) DO UPDATE SET watching = false WHERE w.watching
  RETURNING post_id`;

const LISTED = keyset('created_at', 'post_id');

/** A page of the posts that somebody ($1) watches, the latest first. Cost: a range of post_watches_user. */
export const WATCHED = `
  SELECT post_id AS id, created_at FROM post_watches
  WHERE user_id = $1 AND watching AND ${LISTED.after('$2', '$3')} ORDER BY ${LISTED.order} LIMIT $4`;

/** A comment that is still to be announced, held; one that another process is at is left to it. Cost: a step of the key. */
export const NEXT_ANNOUNCEMENT = `
  SELECT comment_id, after_user FROM comment_announcements ORDER BY comment_id LIMIT 1 FOR UPDATE SKIP LOCKED`;

/** A row of that statement. */
export interface AnnouncementRow {
  readonly comment_id: string;
  readonly after_user: string;
}

/** Tells beside others, before any row is held: as whoever takes posts away does. */
export const HOLD_TELLING = `SELECT hold_telling(false)`;

/** The comment ($1) itself, held against an edit that mentions somebody. */
export const HOLD_ANNOUNCED = `
  SELECT post_id, author_id FROM comments WHERE id = $1 AND deleted_at IS NULL AND author_id IS NOT NULL FOR SHARE`;

/** Who watched a post ($1) when a comment ($2) was made, after some user ($3), so many ($4). Cost: a range of the key. */
export const WATCHERS = `
  SELECT w.user_id FROM post_watches w JOIN comments c ON c.id = $2
  WHERE w.post_id = $1 AND w.user_id > $3 AND w.watching AND w.user_id <> c.author_id AND w.created_at <= c.created_at
  ORDER BY w.user_id LIMIT $4`;

/** A comment ($1) was announced to all up to some user ($2). */
export const ANNOUNCED_UP_TO = `UPDATE comment_announcements SET after_user = $2 WHERE comment_id = $1`;
/** A comment ($1) was announced to all. */
export const ANNOUNCED = `DELETE FROM comment_announcements WHERE comment_id = $1`;
