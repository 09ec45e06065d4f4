import type { FieldValues, OwnFields, ReactionCounts, Removal, StoredSpan } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../../ground/fields/field-columns.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';
import { OF_VISIBLE_POST } from './visible.js';
import { perChoice, prepared } from '../../ground/database/prepared.js';

type Nullable<T> = { readonly [K in keyof T]: T[K] | null };

/** A row of the statement that shows comments; one that is not seen is a marker. */
export interface CommentRow extends Nullable<AuthorColumns> {
  readonly id: string;
  readonly post_id: string;
  readonly parent_id: string | null;
  readonly under_id: string | null;
  readonly depth: number;
  readonly body: string;
  readonly spans: StoredSpan[];
  readonly version: number;
  readonly created_at: Date;
  readonly edited_at: Date | null;
  readonly deleted: boolean;
  readonly removal: Removal | null;
  readonly erased: boolean;
  /** Whether the viewer reads it; they get a marker otherwise. */
  readonly seen: boolean;
  readonly answered_handle: string | null;
  readonly fields: FieldValues | null;
  readonly reactions: ReactionCounts;
  readonly replies: number;
  readonly below: number;
  readonly people: number;
  readonly reaction: string | null;
  readonly weights: Record<string, number>;
}

/**
 * Whether a comment (c, by a) is read by a viewer: it is there, and neither keeps away from the other; the one that they ask for
 * themselves ($asked, an id or null) they read also by somebody whom they mute.
 */
export const readBy = (viewer: string, asked = 'NULL'): string =>
  `(c.deleted_at IS NULL AND ${seenBy('a', viewer)} AND (c.id = ${asked}::uuid OR ${notKeptAway('a', viewer)}))`;

/**
 * Comments by id, in the order of the ids, with all that a page shows of them to a viewer ($2): whether they read it or get a
 * marker is said by `seen`; $3 is the one that they ask for themselves, or null. Cost: eight primary-key probes for each.
 */
export const commentsById = (model: OwnFields): string => `
  SELECT c.id, c.post_id, c.parent_id, c.under_id, c.depth, c.body, c.spans, c.version, c.created_at, c.edited_at,
    c.deleted_at IS NOT NULL AS deleted, c.removal, c.author_id IS NULL OR a.erased_at IS NOT NULL AS erased,
    coalesce(${readBy('$2', '$3')}, false) AS seen, ${AUTHOR_COLUMNS}, ${fieldsColumn(model, 'comments', 'c')},
    t.reactions, t.replies, t.below, t.people,
    (SELECT r.kind FROM comment_reactions r WHERE r.comment_id = c.id AND r.user_id = $2::uuid) AS reaction,
    (SELECT w.weights FROM weightings w WHERE w.in_force) AS weights,
    CASE WHEN c.parent_id IS DISTINCT FROM c.under_id THEN
      (SELECT o.handle FROM comments q JOIN users o ON o.id = q.author_id WHERE q.id = c.parent_id AND ${seenBy('o', '$2')}) END AS answered_handle
  FROM unnest($1::uuid[]) WITH ORDINALITY AS i (id, place)
  JOIN comments c ON c.id = i.id
  JOIN comment_tallies t ON t.comment_id = c.id
  LEFT JOIN users a ON a.id = c.author_id
  ORDER BY i.place`;

const VISIBLE_POST = (viewer: string) =>
  `EXISTS (SELECT FROM posts p JOIN users o ON o.id = p.author_id WHERE p.id = c.post_id AND p.deleted_at IS NULL AND ${seenBy('o', viewer)})`;

/** Owner and version of a comment ($1) that a viewer ($2) may see, of a post that they may see. Cost: some primary-key probes. */
export const OWNED_COMMENT = prepared(`
  SELECT c.author_id, c.version, c.post_id FROM comments c JOIN users a ON a.id = c.author_id
  WHERE c.id = $1 AND c.deleted_at IS NULL AND ${seenBy('a', '$2')} AND ${VISIBLE_POST('$2')}`);

/** A comment ($1) that the viewer ($2) sees or gets a marker for, of a post that they may see. Cost: some primary-key probes. */
export const PLACE_OF_COMMENT = `
  SELECT c.id FROM comments c JOIN comment_tallies t ON t.comment_id = c.id LEFT JOIN users a ON a.id = c.author_id
  WHERE c.id = $1 AND (t.below > 0 OR t.in_sight AND ${seenBy('a', '$2')}) AND ${VISIBLE_POST('$2')}`;

/** What a comment ($1) stands under, from the top down. Cost: one probe for each level. */
export const ANCESTORS = `
  WITH RECURSIVE up AS (
    SELECT c.under_id AS id, 1 AS n FROM comments c WHERE c.id = $1
    UNION ALL SELECT c.under_id, u.n + 1 FROM up u JOIN comments c ON c.id = u.id
  ) SELECT id FROM up WHERE id IS NOT NULL ORDER BY n DESC`;

/**
 * Who has to be held before comments are made: for each of the pairs of a post ($1) and what is answered ($2) the authors of both. Cost:
 * two primary-key probes for each.
 */
export const AUTHORS_ABOVE = prepared(`
  SELECT w.n::integer, p.author_id AS post_author_id, c.author_id AS parent_author_id
  FROM unnest($1::uuid[], $2::uuid[]) WITH ORDINALITY AS w (post_id, parent_id, n)
  JOIN posts p ON p.id = w.post_id LEFT JOIN comments c ON c.id = w.parent_id AND c.post_id = p.id`);

/** A row of that statement: of the first pair where n is 1. */
export interface AuthorsAboveRow {
  readonly n: number;
  readonly post_author_id: string;
  readonly parent_author_id: string | null;
}

/**
 * Makes comments ($1 ids) on posts ($2) whose authors let the commenters ($3) see them; of the texts ($4), with spans ($6) read by $8.
 * What one answers ($5, null for none) must be a comment of the same post, in sight and by somebody who lets the commenter see it too;
 * where that stands as deep as may be ($9), this one gets a place beside it. Where either is not so, none is made. Own fields as one
 * JSON object for each ($7). Cost: some primary-key probes and a row for each, and what is counted once for all of them.
 */
export const createComments = perChoice((list: string): string => {
  const columns = list === '' ? [] : list.split(',');
  return `
  INSERT INTO comments (${['id', 'post_id', 'author_id', 'body', 'parent_id', 'spans', 'reading', 'under_id', 'depth', ...columns].join(', ')})
  SELECT w.id, p.id, w.author_id, w.body, w.parent_id, w.spans, $8::integer,
    CASE WHEN c.depth < $9::integer THEN c.id ELSE c.under_id END, CASE WHEN c.id IS NULL THEN 0 WHEN c.depth < $9::integer THEN c.depth + 1 ELSE c.depth END${columns.map((column) => `, o.${column}`).join('')}
  FROM unnest($1::uuid[], $2::uuid[], $3::uuid[], $4::text[], $5::uuid[], $6::jsonb[], $7::jsonb[]) WITH ORDINALITY
    AS w (id, post_id, author_id, body, parent_id, spans, fields, n)
  JOIN posts p ON p.id = w.post_id AND p.deleted_at IS NULL
  JOIN users a ON a.id = p.author_id AND ${seenBy('a', 'w.author_id')}
  LEFT JOIN (comments c JOIN users v ON v.id = c.author_id) ON c.id = w.parent_id AND c.post_id = p.id AND c.deleted_at IS NULL AND ${seenBy('v', 'w.author_id')}
  ${columns.length > 0 ? 'CROSS JOIN LATERAL jsonb_populate_record(NULL::comments, w.fields) o' : ''}
  WHERE w.parent_id IS NULL OR c.id IS NOT NULL
  ORDER BY w.n RETURNING id`;
});

/**
 * Holds a comment before it is edited. The write repeats the doorway's decision: only the author's own ($2), visible one of that version
 * ($3 null takes any), as it is once whoever held it before is done. Cost: two primary-key probes.
 */
export const HOLD_COMMENT = `
  SELECT body, spans, post_id, (SELECT p.author_id FROM posts p WHERE p.id = comments.post_id) AS post_author_id FROM comments
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($3::integer IS NULL OR version = $3) AND ${OF_VISIBLE_POST}
  FOR NO KEY UPDATE`;

/** A row of that statement. */
export interface HeldComment {
  readonly body: string;
  readonly spans: StoredSpan[];
  readonly post_id: string;
  readonly post_author_id: string;
}

/** Edits a comment that is held; $3 are the spans of a new text, read by $4. Own fields from $5 on. */
export const editComment = (columns: string[]): string => `
  UPDATE comments SET body = coalesce($2, body), spans = coalesce($3::jsonb, spans), reading = coalesce($4::integer, reading),
    version = version + 1, edited_at = clock_timestamp()${setFields(columns, 5)}
  WHERE id = $1`;
