import type { FieldValues, OwnFields } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../../ground/fields/field-columns.js';
import { notKeptAway, seenBy } from './visibility.js';
import { AUTHOR_COLUMNS } from './author.js';

/** Users by id, in the order of the ids, those that the viewer ($2) may see. Cost: four primary-key probes for each. */
export const usersById = (model: OwnFields): string => `
  SELECT u.id, u.handle, u.name, u.bio, u.audience, u.moderator, u.version, u.created_at, u.picture_link, u.picture_file,
    t.posts, t.followers, t.following, coalesce(d.draw, 0) AS draw,
    ${fieldsColumn(model, 'users', 'u')}
  FROM unnest($1::uuid[]) WITH ORDINALITY AS i (id, place)
  JOIN users u ON u.id = i.id
  JOIN user_tallies t ON t.user_id = u.id
  LEFT JOIN author_draws d ON d.user_id = u.id
  WHERE ${seenBy('u', '$2')}
  ORDER BY i.place`;

/** A row of that statement. */
export interface UserRow {
  readonly id: string;
  readonly handle: string;
  readonly name: string;
  readonly bio: string;
  readonly audience: 'everyone' | 'signed-in';
  readonly moderator: boolean;
  readonly version: number;
  readonly created_at: Date;
  readonly picture_link: string | null;
  readonly picture_file: string | null;
  readonly posts: number;
  readonly followers: number;
  readonly following: number;
  readonly draw: number;
  readonly fields: FieldValues | null;
}

/** One user by id or by handle ($1), if the viewer ($2) may see them. Cost: one probe of either key. */
export const findUser = (by: 'id' | 'handle'): string =>
  `SELECT u.id, u.version FROM users u WHERE u.${by} = $1 AND ${seenBy('u', '$2')}`;

/** One user by id or by handle ($1), whoever asks. */
export const findAnyUser = (by: 'id' | 'handle'): string =>
  `SELECT id, version FROM users WHERE ${by} = $1 AND erased_at IS NULL`;

/**
 * Ids of the users whose handle or name begins so ($1, folded and escaped for LIKE), by handle from $2 on, as far as
 * the viewer ($4) may see them. Cost: for everybody a walk of the handle index; for a search the matches of both prefix
 * indexes.
 */
export const FIND_USERS = `
  SELECT u.id, u.handle FROM users u
  WHERE ($1 = '' OR u.handle LIKE $1 || '%' OR lower(u.name) LIKE $1 || '%') AND u.handle > $2 AND ${seenBy('u', '$4')}
  ORDER BY u.handle LIMIT $3`;

/**
 * Ids of the users whose posts drew something lately, whose handle or name begins so ($1, folded and escaped for LIKE), who drew most first, after a
 * draw and an id ($2, $5, null for the first), as far as the viewer ($4) may see them. Cost: a walk of author_draws_listed, with some probes for each.
 */
export const WHO_DREW = `
  SELECT u.id, d.draw FROM author_draws d JOIN users u ON u.id = d.user_id
  WHERE ($2::double precision IS NULL OR (d.draw, d.user_id) < ($2::double precision, $5::uuid))
    AND ($1 = '' OR u.handle LIKE $1 || '%' OR lower(u.name) LIKE $1 || '%') AND ${seenBy('u', '$4')}
  ORDER BY d.draw DESC, d.user_id DESC LIMIT $3`;

/**
 * Ids of users whose handle or name begins so ($1, folded and escaped for LIKE), for who is about to name one: first those whom the viewer
 * ($4) follows, then those in the conversation below a post ($5, or null), then by followers; after a place in that order ($2, null for
 * the first). Those who keep apart are left out; without a beginning, so are all but the first two. Cost: the matches of both
 * prefix indexes, with some probes for each.
 */
export const SUGGEST_USERS = `
  SELECT id, place FROM (
    SELECT u.id, ARRAY[lpad((CASE WHEN f.follower_id IS NOT NULL THEN 0 WHEN c.post_id IS NOT NULL THEN 1 ELSE 2 END)::text, 1, '0'),
      lpad((2147483647 - t.followers)::text, 10, '0'), u.handle] AS place
    FROM users u JOIN user_tallies t ON t.user_id = u.id
    LEFT JOIN follows f ON f.follower_id = $4::uuid AND f.followee_id = u.id
    LEFT JOIN LATERAL (
      SELECT p.id AS post_id FROM posts p WHERE p.id = $5::uuid AND p.author_id = u.id
      UNION ALL SELECT m.post_id FROM post_commenters m WHERE m.post_id = $5::uuid AND m.user_id = u.id LIMIT 1) c ON true
    WHERE ($1 = '' AND (f.follower_id IS NOT NULL OR c.post_id IS NOT NULL) OR $1 <> '' AND (u.handle LIKE $1 || '%' OR lower(u.name) LIKE $1 || '%'))
      AND u.id IS DISTINCT FROM $4::uuid AND ${seenBy('u', '$4')} AND ${notKeptAway('u', '$4')}
  ) near WHERE $2::text[] IS NULL OR place > $2::text[]
  ORDER BY place LIMIT $3`;

/**
 * Edits one's own profile; says nothing when the version has moved on ($4 null takes any). A
 * picture is changed where $7 says so, to an upload ($8, null for none); the link that an issuer named goes with it. Own
 * fields from $9 on.
 */
export const editUser = (columns: string[]): string => `
  UPDATE users SET name = coalesce($2, name), bio = coalesce($3, bio), audience = coalesce($5, audience),
    handle = coalesce($6, handle), picture_id = CASE WHEN $7 THEN $8::uuid ELSE picture_id END,
    picture_link = CASE WHEN $7 THEN NULL ELSE picture_link END, version = version + 1${setFields(columns, 9)}
  WHERE id = $1 AND erased_at IS NULL AND ($4::integer IS NULL OR version = $4)
  RETURNING id`;

/** The handle that a user has now, held until the transaction ends. */
export const LOCK_HANDLE = `SELECT handle FROM users WHERE id = $1 FOR NO KEY UPDATE`;

/** Whether a handle ($1) is kept free of all but the one who gave it up ($2, null for a newcomer). */
export const IS_RESERVED = `
  SELECT FROM reserved_handles WHERE handle = $1 AND reserved_until > clock_timestamp()
    AND (user_id IS NULL OR user_id IS DISTINCT FROM $2)`;

/** Keeps a handle that was given up free for so many days. */
export const RESERVE_HANDLE = `
  INSERT INTO reserved_handles (handle, user_id, reserved_until) VALUES ($1, $2, clock_timestamp() + make_interval(days => $3))
  ON CONFLICT (handle) DO UPDATE SET user_id = excluded.user_id, reserved_until = excluded.reserved_until`;

/** How many handles a user keeps reserved. */
export const COUNT_RESERVED = `
  SELECT count(*)::integer AS n FROM reserved_handles WHERE user_id = $1 AND reserved_until > clock_timestamp()`;

/** A handle that is taken into use again is reserved no more. */
export const FREE_HANDLE = `DELETE FROM reserved_handles WHERE handle = $1`;

/** Those who moderate. Cost: the few entries of users_moderators. */
export const MODERATORS = `SELECT ${AUTHOR_COLUMNS} FROM users a WHERE a.moderator ORDER BY a.handle`;
