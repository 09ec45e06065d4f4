import { DRAW_DAYS } from '@gather-lane/core';
import { COUNT_COLUMNS, type CountColumns } from '../../ranking/tallies/counts.js';

const LATELY = `p.deleted_at IS NULL AND p.created_at > clock_timestamp() - interval '${DRAW_DAYS} days'`;

/** Who wrote these posts ($1). Cost: a primary-key probe for each. */
export const AUTHORS_OF = `SELECT DISTINCT author_id AS id FROM posts WHERE id = ANY ($1::uuid[])`;

/** Everybody, after one ($1), so many ($2). Cost: a range of the primary key; to look for those who posted lately would read all their posts. */
export const EVERYBODY = `SELECT id FROM users WHERE id > $1 ORDER BY id LIMIT $2`;

/**
 * What came of the latest posts of authors ($1), without those that nobody acted on: they draw nothing, and are most. Cost: a range of
 * posts_author_recent for each, and a probe for each post.
 */
export const LATEST_POSTS = `
  SELECT p.author_id, p.created_at, ${COUNT_COLUMNS}
  FROM unnest($1::uuid[]) AS i (id) JOIN posts p ON p.author_id = i.id AND ${LATELY} JOIN post_tallies t ON t.post_id = p.id
    AND (t.comment_people > 0 OR t.reactions <> '{}')
  JOIN users u ON u.id = i.id AND u.erased_at IS NULL`;

/** A row of that statement. */
export interface LatestPostRow extends CountColumns {
  readonly author_id: string;
  readonly created_at: Date;
}

/** Keeps what authors ($1) drew ($2), where they are still there. Cost: one row version for each. */
export const KEEP_DRAWS = `
  INSERT INTO author_draws (user_id, draw, made_at)
  SELECT u.id, d.draw, clock_timestamp() FROM unnest($1::uuid[], $2::double precision[]) AS d (user_id, draw) JOIN users u ON u.id = d.user_id ORDER BY u.id
  ON CONFLICT (user_id) DO UPDATE SET draw = excluded.draw, made_at = excluded.made_at`;

/** Forgets those of whom nothing drew ($1). */
export const DROP_DRAWS = `DELETE FROM author_draws WHERE user_id = ANY ($1::uuid[])`;

/** How far a job ($1) has read what happened. */
export const READ_UP_TO = `SELECT snapshot, read_at FROM event_readers WHERE name = $1`;
/** Keeps how far ($2, at an instant $3) a job ($1) has read. */
export const KEEP_READ = `
  INSERT INTO event_readers (name, snapshot, read_at) VALUES ($1, $2, $3)
  ON CONFLICT (name) DO UPDATE SET snapshot = excluded.snapshot, read_at = excluded.read_at`;
