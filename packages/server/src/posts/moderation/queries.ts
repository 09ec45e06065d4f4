import { columnOf, fieldsOf, RESTORABLE_DAYS, type OwnFields, type Removal } from '@gather-lane/core';
import { quoted } from '../../ground/fields/field-columns.js';
import { OF_VISIBLE_POST } from '../comments/visible.js';
import { LOCK_COMMENT_TALLY } from '../../ranking/tallies/locks.js';
import { LOCK_POST_TALLY } from '../../ranking/tallies/locks.js';
import { keyset } from '../../ground/database/keyset.js';

/** What can be removed and restored. */
export type Thing = 'post' | 'comment';

const TABLE = { post: 'posts', comment: 'comments' } as const;
const POST_ID = { post: 'id', comment: 'post_id' } as const;
/** A comment is out of reach with its post. */
const REACHABLE = { post: 'true', comment: OF_VISIBLE_POST } as const;
const NOTHING_BELOW = `AND NOT EXISTS (SELECT FROM comment_tallies t WHERE t.comment_id = comments.id AND t.below > 0)`;
const MODERATES = `EXISTS (SELECT FROM users WHERE id = $2 AND moderator)`;

/** Every write that moves tallies takes their row first. */
export const LOCK_TALLY: Record<Thing, string> = { post: LOCK_POST_TALLY, comment: LOCK_COMMENT_TALLY };

/**
 * Takes a thing out of sight ($3 says by whom); the triggers take it out of standings and counts. The write repeats the
 * doorway's decision: the owner's own, or whatever a moderator ($2) says, in that version ($4 null takes any).
 */
export const remove = (thing: Thing): string => `
  UPDATE ${TABLE[thing]} SET deleted_at = clock_timestamp(), removal = $3::text
  WHERE id = $1 AND deleted_at IS NULL AND ($4::integer IS NULL OR version = $4) AND ${REACHABLE[thing]}
    AND CASE WHEN $3::text = 'owner' THEN author_id = $2 ELSE ${MODERATES} END
  RETURNING ${POST_ID[thing]} AS post_id`;

/** Brings a thing back, by the same law as core's decideRestore, for the caller ($2). */
export const restore = (thing: Thing): string => `
  UPDATE ${TABLE[thing]} SET deleted_at = NULL, removal = NULL
  WHERE id = $1 AND deleted_at IS NOT NULL AND author_id IS NOT NULL AND ${REACHABLE[thing]}
    AND (removal = 'withheld' OR deleted_at > clock_timestamp() - interval '${RESTORABLE_DAYS} days')
    AND CASE WHEN coalesce(removal, 'owner') = 'owner' THEN author_id = $2 ELSE ${MODERATES} END
  RETURNING ${POST_ID[thing]} AS post_id`;

/** A thing that is out of sight. Cost: one primary-key probe. */
export const removed = (thing: Thing): string => `
  SELECT author_id, version, coalesce(removal, 'owner') AS removal, deleted_at FROM ${TABLE[thing]}
  WHERE id = $1 AND deleted_at IS NOT NULL AND author_id IS NOT NULL AND ${REACHABLE[thing]}`;

/** A row of that statement. */
export interface RemovedRow {
  readonly author_id: string;
  readonly version: number;
  readonly removal: Removal;
  readonly deleted_at: Date;
}

const ownRemoved = (thing: Thing) => `
  SELECT '${thing}' AS kind, t.id, t.${POST_ID[thing]} AS post_id, t.body, coalesce(t.removal, 'owner') AS removal, t.deleted_at,
    (SELECT m.reason FROM moderations m WHERE ${thing === 'post' ? 'm.post_id = t.id AND m.comment_id IS NULL' : 'm.comment_id = t.id'}
     AND m.action <> 'restore' AND t.removal <> 'owner' ORDER BY m.created_at DESC LIMIT 1) AS reason
  FROM ${TABLE[thing]} t WHERE t.author_id = $1 AND t.deleted_at IS NOT NULL
    AND (t.removal = 'withheld' OR t.deleted_at > clock_timestamp() - interval '${RESTORABLE_DAYS} days')`;

/**
 * What of a user's own ($1) is out of sight and not gone yet, what was removed last first, at most 100. Cost: the
 * user's rows of posts_author and comments_author.
 */
export const OWN_REMOVED = `${ownRemoved('post')} UNION ALL ${ownRemoved('comment')} ORDER BY deleted_at DESC LIMIT 100`;

/** A row of that statement. */
export interface OwnRemovedRow {
  readonly kind: Thing;
  readonly id: string;
  readonly post_id: string;
  readonly body: string;
  readonly removal: Removal;
  readonly deleted_at: Date;
  readonly reason: string | null;
}

const DONE = keyset('m.created_at', 'm.id');

/** A page of what moderators did, newest first, with the text that it was about. Cost: one range of moderations_newest. */
export const LIST_MODERATIONS = `
  SELECT m.id, m.action, m.reason, m.created_at, m.post_id, m.comment_id, u.handle AS moderator,
    coalesce(c.body, p.body) AS body, a.handle AS author,
    CASE WHEN m.comment_id IS NULL THEN p.removal ELSE c.removal END AS removal
  FROM moderations m
  JOIN posts p ON p.id = m.post_id
  LEFT JOIN comments c ON c.id = m.comment_id
  LEFT JOIN users u ON u.id = m.moderator_id
  LEFT JOIN users a ON a.id = CASE WHEN m.comment_id IS NULL THEN p.author_id ELSE c.author_id END
  WHERE ${DONE.after('$1', '$2')} ORDER BY ${DONE.order} LIMIT $3`;

/** A row of that statement. */
export interface ModerationRow {
  readonly id: string;
  readonly action: 'delete' | 'withhold' | 'restore';
  readonly reason: string;
  readonly created_at: Date;
  readonly post_id: string;
  readonly comment_id: string | null;
  readonly moderator: string | null;
  readonly body: string;
  readonly author: string | null;
  readonly removal: Removal | null;
}

const emptied = (model: OwnFields): string =>
  fieldsOf(model, 'comments')
    .map(({ name }) => `, ${quoted(columnOf(name))} = NULL`)
    .join('');

/** By an instant that stands still for the statement, so that the index of what is removed finds it, and nothing else is read. */
const LONG_AGO = `deleted_at < statement_timestamp() - interval '${RESTORABLE_DAYS} days' AND removal IS DISTINCT FROM 'withheld'`;

/**
 * Comments that were deleted so long ago that nobody can restore them, but that something below them still shows ($1 at a time): their
 * text and author go, and a place is left.
 */
export const blank = (model: OwnFields): string => `
  UPDATE comments SET author_id = NULL, body = '', spans = '[]', edited_at = NULL${emptied(model)} WHERE id IN (
    SELECT c.id FROM comments c JOIN comment_tallies t ON t.comment_id = c.id
    WHERE c.${LONG_AGO} AND c.author_id IS NOT NULL AND t.below > 0 ORDER BY c.deleted_at LIMIT $1)`;

/** Places that nothing stands at any more, a batch at a time ($1). */
export const CLEAR_PLACES = `
  DELETE FROM comments WHERE id IN (
    SELECT c.id FROM comments c WHERE c.${LONG_AGO} AND c.author_id IS NULL
      AND NOT EXISTS (SELECT FROM comments r WHERE r.post_id = c.post_id AND r.under_id = c.id)
      AND NOT EXISTS (SELECT FROM comments r WHERE r.post_id = c.post_id AND r.parent_id = c.id)
    ORDER BY c.deleted_at LIMIT $1)`;

/** Posts and comments that were deleted so long ago that nobody can restore them, a batch at a time ($1). */
export const purge = (thing: Thing): string => `
  DELETE FROM ${TABLE[thing]} WHERE id IN (
    SELECT id FROM ${TABLE[thing]}
    WHERE ${LONG_AGO} AND author_id IS NOT NULL ${thing === 'comment' ? NOTHING_BELOW : ''}
    ORDER BY deleted_at LIMIT $1)`;
