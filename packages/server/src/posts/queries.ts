import type { FieldValues, Model } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../model/field-columns.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../users/queries.js';

/**
 * Visible posts by id, in the order of the ids, with all that a page shows of them. Cost: four
 * primary-key probes for each post.
 */
export const postsById = (model: Model): string => `
  SELECT p.id, p.body, p.version, p.created_at, p.edited_at, ${AUTHOR_COLUMNS}, t.comments, t.comment_people, s.lane_time,
    ${fieldsColumn(model, 'posts', 'p')}
  FROM unnest($1::uuid[]) WITH ORDINALITY AS i (id, place)
  JOIN posts p ON p.id = i.id AND p.deleted_at IS NULL
  JOIN users a ON a.id = p.author_id
  JOIN post_tallies t ON t.post_id = p.id
  JOIN standings s ON s.post_id = p.id
  ORDER BY i.place`;

/** A row of that statement. */
export interface PostRow extends AuthorColumns {
  readonly id: string;
  readonly body: string;
  readonly version: number;
  readonly created_at: Date;
  readonly edited_at: Date | null;
  readonly comments: number;
  readonly comment_people: number;
  readonly lane_time: Date;
  readonly fields: FieldValues | null;
}

/** Owner and version of a visible post. Cost: one primary-key probe. */
export const OWNED_POST = `SELECT author_id, version FROM posts WHERE id = $1 AND deleted_at IS NULL`;

const past = { newest: '<', oldest: '>' };
const way = { newest: 'DESC', oldest: 'ASC' };

/** Ids of a page of posts, everybody's or one author's ($1). Cost: one range of posts_recent or posts_author_recent. */
export const listPosts = (sort: 'newest' | 'oldest', whose: 'author' | 'everybody'): string => `
  SELECT id, created_at FROM posts
  WHERE deleted_at IS NULL ${whose === 'author' ? 'AND author_id = $1' : 'AND $1::uuid IS NULL'}
    AND ($2::timestamptz IS NULL OR (created_at, id) ${past[sort]} ($2, $3::uuid))
  ORDER BY created_at ${way[sort]}, id ${way[sort]} LIMIT $4`;

/** Makes a post; the triggers make its tally and its standing. Own fields from $4 on. */
export const createPost = (columns: string[]): string =>
  `INSERT INTO posts (${['id', 'author_id', 'body', ...columns].join(', ')}) VALUES ($1, $2, $3${columns.map((_, i) => `, $${4 + i}`).join('')})`;

/** The write repeats the doorway's decision: only the author's own, visible post of that version ($4 null takes any). Own fields from $5 on. */
export const editPost = (columns: string[]): string => `
  UPDATE posts SET body = coalesce($3, body), version = version + 1, edited_at = clock_timestamp()${setFields(columns, 5)}
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($4::integer IS NULL OR version = $4)
  RETURNING id`;

/** Every write that moves tallies takes their row first. */
export const LOCK_POST_TALLY = `SELECT FROM post_tallies WHERE post_id = $1 FOR NO KEY UPDATE`;

/** Soft: the triggers take it out of standings and counts. The same condition as for an edit. */
export const DELETE_POST = `
  UPDATE posts SET deleted_at = clock_timestamp()
  WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($3::integer IS NULL OR version = $3)
  RETURNING id`;
