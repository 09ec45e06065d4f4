import type { FieldValues, OwnFields, ReactionCounts } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../../ground/fields/field-columns.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';
import { OF_VISIBLE_POST } from './visible.js';
import { keyset } from '../../ground/database/keyset.js';

const shown = (model: OwnFields, viewer: string) =>
  `c.id, c.post_id, c.parent_id, c.body, c.version, c.created_at, c.edited_at, ${AUTHOR_COLUMNS}, ${fieldsColumn(model, 'comments', 'c')},
   (SELECT t.reactions FROM comment_tallies t WHERE t.comment_id = c.id) AS reactions,
   (SELECT r.kind FROM comment_reactions r WHERE r.comment_id = c.id AND r.user_id = ${viewer}::uuid) AS reaction,
   (SELECT w.weights FROM weightings w WHERE w.in_force) AS weights`;

type Nullable<T> = { readonly [K in keyof T]: T[K] | null };

/** A row of the statements that show comments; one without an author is a marker. */
export interface CommentRow extends Nullable<AuthorColumns> {
  readonly id: string;
  readonly post_id: string;
  readonly parent_id: string | null;
  readonly body: string;
  readonly version: number;
  readonly created_at: Date;
  readonly edited_at: Date | null;
  readonly fields: FieldValues | null;
  /** Null for one that nobody ever reacted to. */
  readonly reactions: ReactionCounts | null;
  readonly reaction: string | null;
  readonly weights: Record<string, number>;
}

/**
 * A page of the conversation below a post, as the viewer ($5) reads it: nothing by whom they keep away from, and a
 * marker for each comment with answers whose author's account is gone. Cost: a range of comments_conversation and one
 * of comments_markers, and a few probes for each comment.
 */
export const listComments = (model: OwnFields, sort: 'newest' | 'oldest'): string => {
  const { after, order } = keyset('c.created_at', 'c.id', sort);
  const range = `c.post_id = $1 AND ${after('$2', '$3')}`;
  return `
  (SELECT ${shown(model, '$5')} FROM comments c JOIN users a ON a.id = c.author_id
   WHERE ${range} AND c.deleted_at IS NULL AND ${seenBy('a', '$5')} AND ${notKeptAway('a', '$5')} ORDER BY ${order} LIMIT $4)
  UNION ALL
  (SELECT ${shown(model, '$5')} FROM comments c LEFT JOIN users a ON false WHERE ${range} AND c.author_id IS NULL ORDER BY ${order} LIMIT $4)
  ORDER BY ${keyset('created_at', 'id', sort).order} LIMIT $4`;
};

const VISIBLE_POST = (viewer: string) =>
  `EXISTS (SELECT FROM posts p JOIN users o ON o.id = p.author_id WHERE p.id = c.post_id AND p.deleted_at IS NULL AND ${seenBy('o', viewer)})`;

/** One comment that the viewer ($2) may see, of a post that they may see. */
export const commentById = (model: OwnFields): string => `
  SELECT ${shown(model, '$2')}
  FROM comments c JOIN users a ON a.id = c.author_id
  WHERE c.id = $1 AND c.deleted_at IS NULL AND ${seenBy('a', '$2')} AND ${VISIBLE_POST('$2')}`;

/**
 * Comments on a post that its author lets the commenter ($3) see; $5 (null for none) must be a comment of the same post, in sight
 * and by somebody who lets the commenter see it too. No row comes back where either is not so. Own fields as one JSON object, $6.
 */
export const createComment = (columns: string[]): string => `
  INSERT INTO comments (${['id', 'post_id', 'author_id', 'body', 'parent_id', ...columns].join(', ')})
  SELECT $1::uuid, p.id, $3::uuid, $4::text, $5::uuid${columns.map((column) => `, o.${column}`).join('')}
  FROM posts p JOIN users a ON a.id = p.author_id${columns.length > 0 ? ' CROSS JOIN jsonb_populate_record(NULL::comments, $6::jsonb) o' : ''}
  WHERE p.id = $2 AND p.deleted_at IS NULL AND ${seenBy('a', '$3')}
    AND ($5::uuid IS NULL OR EXISTS (
      SELECT FROM comments c JOIN users w ON w.id = c.author_id
      WHERE c.id = $5 AND c.post_id = p.id AND c.deleted_at IS NULL AND ${seenBy('w', '$3')}))
  RETURNING id`;

/** The write repeats the doorway's decision. Own fields from $5 on. */
export const editComment = (columns: string[]): string => `
  UPDATE comments SET body = coalesce($3, body), version = version + 1, edited_at = clock_timestamp()${setFields(columns, 5)}
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($4::integer IS NULL OR version = $4) AND ${OF_VISIBLE_POST}
  RETURNING id`;
