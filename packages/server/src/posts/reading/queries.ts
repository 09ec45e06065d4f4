import { prepared } from '../../ground/database/prepared.js';
import { seenBy } from '../../accounts/users/visibility.js';

/** Who has these handles ($1) now. Cost: one probe of the handle key for each. */
export const BY_HANDLE = prepared(`SELECT id, handle FROM users WHERE handle = ANY ($1) AND erased_at IS NULL`);

/**
 * Whom texts may mention: of the pairs of a text's number ($1) and a user ($2), those whose author ($3) and whose post's author ($4) let
 * that user see it, where neither the user nor the text's author blocks the other. Cost: some primary-key probes for each.
 */
export const MAY_BE_MENTIONED = prepared(`
  SELECT m.n, u.id
  FROM unnest($1::integer[], $2::uuid[], $3::uuid[], $4::uuid[]) AS m (n, user_id, author_id, post_author_id)
  JOIN users u ON u.id = m.user_id AND u.erased_at IS NULL
  JOIN users a ON a.id = m.author_id
  JOIN users p ON p.id = m.post_author_id
  WHERE ${seenBy('a', 'u.id')} AND ${seenBy('p', 'u.id')}
    AND NOT EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((a.id, u.id), (u.id, a.id)))`);

/**
 * Holds users ($1) against blocks that are being made: a block takes the counts of both of its people. For who counts nothing of
 * theirs in the same transaction; who does holds them as the counts will be.
 */
export const HOLD_PEOPLE = {
  share: prepared(`SELECT FROM user_tallies WHERE user_id = ANY ($1::uuid[]) ORDER BY user_id FOR SHARE`),
  count: prepared(`SELECT FROM user_tallies WHERE user_id = ANY ($1::uuid[]) ORDER BY user_id FOR NO KEY UPDATE`),
} as const;

/** Tables of texts that are read. */
export const TEXTS = ['posts', 'comments'] as const;
/** A table of texts that are read. */
export type TextTable = (typeof TEXTS)[number];

/** How many texts were read by older rules than these ($1). Cost: one pass over both tables. */
export const COUNT_UNREAD = `
  SELECT (SELECT count(*) FROM posts WHERE reading < $1)::integer + (SELECT count(*) FROM comments WHERE reading < $1)::integer AS n`;

const POST_AUTHOR = {
  posts: 't.author_id',
  comments: '(SELECT p.author_id FROM posts p WHERE p.id = t.post_id)',
} as const;

/** Who wrote posts ($1). Cost: one probe of the key for each. */
export const AUTHORS_OF_POSTS = `SELECT id, author_id FROM posts WHERE id = ANY ($1::uuid[])`;

/** Whether any text was not read at all. Cost: one probe of each of two indexes that hold nothing else. */
export const ANY_NEW = `SELECT EXISTS (SELECT FROM posts WHERE reading <= 0) OR EXISTS (SELECT FROM comments WHERE reading <= 0) AS waiting`;

/** Texts after an id ($1) that were read by older rules than these ($2), so many ($3), or those alone that were not read at all. Cost: a walk of the key, or of the index that holds those. */
export const unread = (table: TextTable, which: 'any' | 'new' = 'any'): string => `
  SELECT t.id, t.version, t.body, t.spans, t.author_id, ${POST_AUTHOR[table]} AS post_author_id
  FROM ${table} t WHERE t.id > $1 AND t.reading < $2 ${which === 'new' ? 'AND t.reading <= 0 ' : ''}ORDER BY t.id LIMIT $3`;

/** A row of that statement. */
export interface UnreadRow {
  readonly id: string;
  readonly version: number;
  readonly body: string;
  readonly spans: never[];
  readonly author_id: string | null;
  readonly post_author_id: string;
}

/**
 * What was found in texts ($1 ids, $2 their versions, $3 spans) is stored, with the rules ($4): not for one that was edited meanwhile, which
 * was read then. Cost: one row version for each.
 */
export const storeReadings = (table: TextTable): string => `
  UPDATE ${table} t SET spans = r.spans, reading = $4
  FROM unnest($1::uuid[], $2::integer[], $3::jsonb[]) AS r (id, version, spans) WHERE t.id = r.id AND t.version = r.version AND t.reading < $4`;
