import type { FieldValues, OwnFields } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../../ground/fields/field-columns.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';
import { keyset } from '../../ground/database/keyset.js';
import { POST_JOINS, postColumns, type PostRow } from './shown-post.js';
import { perChoice } from '../../ground/database/prepared.js';

/**
 * Posts by id, in the order of the ids, as far as the viewer ($2) may see them, with all that a page shows of them.
 * Cost: six primary-key probes for each post.
 */
export const postsById = (model: OwnFields): string => `
  SELECT ${postColumns(model, '$2::uuid')}, s.lane_time, w.weights
  FROM unnest($1::uuid[]) WITH ORDINALITY AS i (id, place)
  JOIN posts p ON p.id = i.id AND p.deleted_at IS NULL
  ${POST_JOINS}
  JOIN standings s ON s.post_id = p.id
  JOIN weightings w ON w.in_force
  WHERE ${seenBy('a', '$2')}
  ORDER BY i.place`;

/** A row of that statement. */
export interface PostByIdRow extends PostRow {
  readonly weights: Record<string, number>;
}

/** Owner and version of a post that the viewer ($2) may see. Cost: three primary-key probes. */
export const OWNED_POST = `
  SELECT p.author_id, p.version FROM posts p JOIN users a ON a.id = p.author_id
  WHERE p.id = $1 AND p.deleted_at IS NULL AND ${seenBy('a', '$2')}`;

/**
 * Ids of a page of posts that the viewer ($5) may see: everybody's but those of whom the viewer keeps away from, or one
 * author's ($1). Cost: one range of posts_recent or posts_author_recent, and a few probes for each author met.
 */
export const listPosts = (sort: 'newest' | 'oldest', whose: 'author' | 'everybody'): string => {
  const { after, order } = keyset('p.created_at', 'p.id', sort);
  return `
  SELECT p.id, p.created_at FROM posts p JOIN users a ON a.id = p.author_id
  WHERE p.deleted_at IS NULL AND ${whose === 'author' ? 'p.author_id = $1' : `$1::uuid IS NULL AND ${notKeptAway('a', '$5')}`}
    AND ${after('$2', '$3')} AND ${seenBy('a', '$5')}
  ORDER BY ${order} LIMIT $4`;
};

/**
 * Makes posts ($1 ids, $2 whose), of texts ($3) with spans ($4) read by $6, and own fields as one JSON object for each ($5); the
 * triggers make their tallies and standings, and what their spans name. Cost: a row for each, and what is counted once for all.
 */
export const createPosts = perChoice((list: string): string => {
  const columns = list === '' ? [] : list.split(',');
  return `
  INSERT INTO posts (${['id', 'author_id', 'body', 'spans', 'reading', ...columns].join(', ')})
  SELECT ${['w.id', 'w.author_id', 'w.body', 'w.spans', '$6::integer', ...columns.map((column) => `o.${column}`)].join(', ')}
  FROM unnest($1::uuid[], $2::uuid[], $3::text[], $4::jsonb[], $5::jsonb[]) WITH ORDINALITY AS w (id, author_id, body, spans, fields, n)
  ${columns.length > 0 ? 'CROSS JOIN LATERAL jsonb_populate_record(NULL::posts, w.fields) o' : ''}
  ORDER BY w.n`;
});

/**
 * Holds a post before it is edited. The write repeats the doorway's decision: only the author's own ($2), visible post of that
 * version ($3 null takes any), as it is once whoever held it before is done. Cost: one primary-key probe.
 */
export const HOLD_POST = `
  SELECT body, spans FROM posts WHERE id = $1 AND author_id = $2 AND deleted_at IS NULL AND ($3::integer IS NULL OR version = $3) FOR NO KEY UPDATE`;

/**
 * Edits a post that is held. What it said until now is kept as a version; $3 are the spans of a new text, read by $4. Own
 * fields from $5 on.
 */
export const editPost = (model: OwnFields, columns: string[]): string => `
  WITH old AS MATERIALIZED (
    SELECT p.id, p.version, p.body, coalesce(p.edited_at, p.created_at) AS since, ${fieldsColumn(model, 'posts', 'p')},
      (SELECT coalesce(json_agg(json_build_object('id', pp.upload_id, 'alt', pp.alt) ORDER BY pp.position), '[]')
       FROM post_pictures pp WHERE pp.post_id = p.id) AS pictures
    FROM posts p WHERE p.id = $1
  ), kept AS (
    INSERT INTO post_versions (post_id, version, body, fields, pictures, created_at)
    SELECT id, version, body, fields, pictures, since FROM old
  )
  UPDATE posts SET body = coalesce($2, body), version = version + 1, edited_at = clock_timestamp(),
    spans = coalesce($3::jsonb, spans), reading = coalesce($4::integer, reading)${setFields(columns, 5)}
  WHERE id = $1 RETURNING body`;

/** Earlier versions of a post, the latest first. Cost: one range of the key. */
export const LIST_VERSIONS = `
  SELECT version, body, fields, pictures, created_at FROM post_versions
  WHERE post_id = $1 AND ($2::integer IS NULL OR version < $2) ORDER BY version DESC LIMIT $3`;

/** A row of that statement. */
export interface VersionRow {
  readonly version: number;
  readonly body: string;
  readonly fields: FieldValues | null;
  readonly pictures: { readonly id: string; readonly alt: string }[];
  readonly created_at: Date;
}

/** Keeps one's own uploads ($1 ids, $2 whose) from being swept until the transaction ends. */
export const HOLD_UPLOADS = `SELECT FROM uploads WHERE id = ANY ($1::uuid[]) AND user_id = $2 ORDER BY id FOR KEY SHARE`;

/**
 * Puts pictures ($2 ids, $3 what they show) on a post ($1), in their order: only uploads of the author's own ($4). Cost: one
 * primary-key probe for each.
 */
export const SET_PICTURES = `
  INSERT INTO post_pictures (post_id, position, upload_id, alt)
  SELECT $1, w.n - 1, u.id, w.alt
  FROM unnest($2::uuid[], $3::text[]) WITH ORDINALITY AS w (id, alt, n) JOIN uploads u ON u.id = w.id AND u.user_id = $4
  RETURNING upload_id`;

/** Takes all pictures off a post. */
export const CLEAR_PICTURES = `DELETE FROM post_pictures WHERE post_id = $1`;

/** How many pictures a post has. */
export const COUNT_PICTURES = `SELECT count(*)::integer AS n FROM post_pictures WHERE post_id = $1`;
