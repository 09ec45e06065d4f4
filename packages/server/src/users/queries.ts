import type { FieldValues, Model } from '@gather-lane/core';
import { fieldsColumn, setFields } from '../model/field-columns.js';

/** Columns of an author's card, for a statement that joins `users a`. */
export const AUTHOR_COLUMNS = `a.id AS author_id, a.handle AS author_handle, a.name AS author_name`;

/** A row that holds those columns. */
export interface AuthorColumns {
  readonly author_id: string;
  readonly author_handle: string;
  readonly author_name: string;
}

/** The author's card that a row holds. */
export function toAuthor(row: AuthorColumns) {
  return { id: row.author_id, handle: row.author_handle, name: row.author_name, picture: null };
}

/** Users by id, in the order of the ids. Cost: two primary-key probes for each. */
export const usersById = (model: Model): string => `
  SELECT u.id, u.handle, u.name, u.bio, u.version, u.created_at, t.posts, t.followers, t.following, ${fieldsColumn(model, 'users', 'u')}
  FROM unnest($1::uuid[]) WITH ORDINALITY AS i (id, place)
  JOIN users u ON u.id = i.id
  JOIN user_tallies t ON t.user_id = u.id
  ORDER BY i.place`;

/** A row of that statement. */
export interface UserRow {
  readonly id: string;
  readonly handle: string;
  readonly name: string;
  readonly bio: string;
  readonly version: number;
  readonly created_at: Date;
  readonly posts: number;
  readonly followers: number;
  readonly following: number;
  readonly fields: FieldValues | null;
}

/**
 * Ids of the users whose handle or name begins so ($1, folded and escaped for LIKE), by handle from $2 on.
 * Cost: for everybody a walk of the handle index; for a search the matches of both prefix indexes.
 */
export const FIND_USERS = `
  SELECT id, handle FROM users
  WHERE ($1 = '' OR handle LIKE $1 || '%' OR lower(name) LIKE $1 || '%') AND handle > $2
  ORDER BY handle LIMIT $3`;

/** Edits one's own profile; says nothing when the version has moved on ($4 null takes any). Own fields from $5 on. */
export const editUser = (columns: string[]): string => `
  UPDATE users SET name = coalesce($2, name), bio = coalesce($3, bio), version = version + 1${setFields(columns, 5)}
  WHERE id = $1 AND ($4::integer IS NULL OR version = $4)
  RETURNING id`;
