import type { FieldValues, Model } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../model/field-columns.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../users/queries.js';

const shown = (model: Model) =>
  `c.id, c.post_id, c.parent_id, c.body, c.version, c.created_at, c.edited_at, ${AUTHOR_COLUMNS}, ${fieldsColumn(model, 'comments', 'c')}`;

/** A row of the statements that show comments. */
export interface CommentRow extends AuthorColumns {
  readonly id: string;
  readonly post_id: string;
  readonly parent_id: string | null;
  readonly body: string;
  readonly version: number;
  readonly created_at: Date;
  readonly edited_at: Date | null;
  readonly fields: FieldValues | null;
}

const past = { newest: '<', oldest: '>' };
const way = { newest: 'DESC', oldest: 'ASC' };

/** A page of the conversation below a post. Cost: one range of comments_conversation and a probe for each author. */
export const listComments = (model: Model, sort: 'newest' | 'oldest'): string => `
  SELECT ${shown(model)}
  FROM comments c JOIN users a ON a.id = c.author_id
  WHERE c.post_id = $1 AND c.deleted_at IS NULL
    AND ($2::timestamptz IS NULL OR (c.created_at, c.id) ${past[sort]} ($2, $3::uuid))
  ORDER BY c.created_at ${way[sort]}, c.id ${way[sort]} LIMIT $4`;

/** One visible comment of a visible post. */
export const commentById = (model: Model): string => `
  SELECT ${shown(model)}
  FROM comments c JOIN users a ON a.id = c.author_id JOIN posts p ON p.id = c.post_id
  WHERE c.id = $1 AND c.deleted_at IS NULL AND p.deleted_at IS NULL`;

/**
 * Comments on a visible post; $5 (null for none) must be a visible comment of the same post. No row comes
 * back where either is not so. Own fields as one JSON object, $6.
 */
export const createComment = (columns: string[]): string => `
  INSERT INTO comments (${['id', 'post_id', 'author_id', 'body', 'parent_id', ...columns].join(', ')})
  SELECT $1::uuid, p.id, $3::uuid, $4::text, $5::uuid${columns.map((column) => `, o.${column}`).join('')}
  FROM posts p${columns.length > 0 ? ', jsonb_populate_record(NULL::comments, $6::jsonb) o' : ''}
  WHERE p.id = $2 AND p.deleted_at IS NULL
    AND ($5::uuid IS NULL OR EXISTS (SELECT FROM comments c WHERE c.id = $5 AND c.post_id = p.id AND c.deleted_at IS NULL))
  RETURNING id`;

const OF_VISIBLE_POST = `EXISTS (SELECT FROM posts p WHERE p.id = comments.post_id AND p.deleted_at IS NULL)`;

/** Takes the tally row of a comment's post, before its row changes. */
export const LOCK_COMMENT_TALLY = `
  SELECT FROM post_tallies WHERE post_id = (SELECT post_id FROM comments WHERE id = $1) FOR NO KEY UPDATE`;

/** The write repeats the doorway's decision. Own fields from $5 on. */
export const editComment = (columns: string[]): string => `
  UPDATE comments SET body = coalesce($3, body), version = version + 1, edited_at = clock_timestamp()${setFields(columns, 5)}
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($4::integer IS NULL OR version = $4) AND ${OF_VISIBLE_POST}
  RETURNING id`;

/** Soft; the triggers uncount it. The same condition as for an edit. */
export const DELETE_COMMENT = `
  UPDATE comments SET deleted_at = clock_timestamp()
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($3::integer IS NULL OR version = $3) AND ${OF_VISIBLE_POST}
  RETURNING id`;
