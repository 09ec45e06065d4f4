import type { ReactionCounts } from '@gather-lane/core';
import { perChoice, prepared } from '../../ground/database/prepared.js';
import { REACHES } from '../../ground/standbys/reaches.js';
import { AUTHOR_COLUMNS, type AuthorColumns } from '../../accounts/users/author.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';
import { keyset } from '../../ground/database/keyset.js';

/** What can be reacted to. */
export type Target = 'post' | 'comment';

interface Names {
  readonly table: string;
  readonly id: string;
  /** Takes the rows of counts first, in id order, as every writer does. */
  readonly held: string;
  /** The things that the reacting user (a.user_id) may see. */
  readonly visible: string;
  /** Reads the thing again once its counts are held: whoever held them may have taken it out of sight with them. */
  readonly reread: string;
  /** Whose the thing is, and the post that it is on. */
  readonly owner: string;
}

const NAMES: Record<Target, Names> = {
  post: {
    table: 'reactions',
    id: 'post_id',
    held: `SELECT post_id FROM post_tallies WHERE post_id = ANY ($1::uuid[]) ORDER BY post_id FOR NO KEY UPDATE`,
    visible: `JOIN posts p ON p.id = a.thing_id AND p.deleted_at IS NULL JOIN users o ON o.id = p.author_id AND ${seenBy('o', 'a.user_id')}`,
    reread: 'FOR KEY SHARE OF p',
    owner: 'SELECT t.author_id, t.id AS post_id FROM posts t WHERE t.id',
  },
  comment: {
    table: 'comment_reactions',
    id: 'comment_id',
    held: `SELECT comment_id FROM comment_tallies WHERE comment_id = ANY ($1::uuid[]) ORDER BY comment_id FOR NO KEY UPDATE`,
    visible: `JOIN comments c ON c.id = a.thing_id AND c.deleted_at IS NULL JOIN users v ON v.id = c.author_id AND ${seenBy('v', 'a.user_id')}
      JOIN posts p ON p.id = c.post_id AND p.deleted_at IS NULL JOIN users o ON o.id = p.author_id AND ${seenBy('o', 'a.user_id')}`,
    // Who takes a comment out of sight holds other counts: either comes first.
    reread: '',
    owner: 'SELECT t.author_id, t.post_id FROM comments t WHERE t.id',
  },
};

/** The counts, which are read before anybody is answered, say how far the acts reach. */
const FOLLOWED = { reach: 'is told by what follows' } as const;
const TELLS = { reach: 'is told' } as const;

/**
 * Does a batch of acts in one statement: of people ($2) on things ($1), each with the kind that it is to be ($3) or null for
 * none; at most one for each person and thing. The counts are held first. What the person may not see is left alone and
 * comes back with no row; of the others each says whether anything changed. The owners are told of reactions that are new, which are those
 * made at the instant of their act: what a row was before, a partitioned table would not say. Cost: some
 * primary-key probes for each act, that of telling, and one row version of the counts for each thing.
 */
export const react = perChoice((target: Target): string => {
  const { table, id, held, visible, reread, owner } = NAMES[target];
  return `
  WITH asked AS MATERIALIZED (
    SELECT a.*, clock_timestamp()::timestamptz(3) AS at
    FROM unnest($1::uuid[], $2::uuid[], $3::text[]) WITH ORDINALITY AS a (thing_id, user_id, kind, n)
  ), held AS MATERIALIZED (${held}
  ), want AS MATERIALIZED (
    SELECT a.* FROM asked a JOIN users u ON u.id = a.user_id AND u.erased_at IS NULL ${visible}
    WHERE (SELECT count(*) FROM held) >= 0 ${reread}
  ), gone AS (
    DELETE FROM ${table} r USING want w WHERE w.kind IS NULL AND r.${id} = w.thing_id AND r.user_id = w.user_id
    RETURNING r.${id} AS thing_id, r.user_id
  ), put AS (
    INSERT INTO ${table} (${id}, user_id, kind, created_at)
    SELECT thing_id, user_id, kind, at FROM want WHERE kind IS NOT NULL ORDER BY thing_id, user_id
    ON CONFLICT (${id}, user_id) DO UPDATE SET kind = excluded.kind WHERE ${table}.kind <> excluded.kind
    RETURNING ${id} AS thing_id, user_id, created_at
  ), told AS MATERIALIZED (
    SELECT tell(array_agg(p.thing_id), array_agg(p.user_id), array_agg(o.author_id), array_agg('reacted'::text), array_agg(p.thing_id), array_agg(o.post_id))
    FROM put p JOIN want w ON w.thing_id = p.thing_id AND w.user_id = p.user_id AND w.at = p.created_at
    CROSS JOIN LATERAL (${owner} = p.thing_id) o WHERE o.author_id <> p.user_id HAVING count(*) > 0
  )
  SELECT w.n::integer, (g.user_id IS NOT NULL OR p.user_id IS NOT NULL) AS changed
  FROM want w
  LEFT JOIN gone g ON g.thing_id = w.thing_id AND g.user_id = w.user_id
  LEFT JOIN put p ON p.thing_id = w.thing_id AND p.user_id = w.user_id
  WHERE (SELECT count(*) FROM told) >= 0`;
}, FOLLOWED);

/** A row of that statement: which act, from 1 on, and whether it changed anything. */
export interface ReactedRow {
  readonly n: number;
  readonly changed: boolean;
}

/** The counts of things after a batch, and how far into the log it reaches. Cost: two primary-key probes for each. */
export const COUNTS_AFTER: Record<Target, string> = {
  post: prepared(
    `
    SELECT t.post_id AS id, t.comments, t.reactions, s.lane_time, w.weights, ${REACHES} AS reaches
    FROM post_tallies t JOIN weightings w ON w.in_force LEFT JOIN standings s ON s.post_id = t.post_id WHERE t.post_id = ANY ($1::uuid[])`,
    TELLS,
  ),
  comment: prepared(
    `
    SELECT i.id, coalesce(t.reactions, '{}') AS reactions, w.weights, ${REACHES} AS reaches
    FROM unnest($1::uuid[]) AS i (id) JOIN weightings w ON w.in_force LEFT JOIN comment_tallies t ON t.comment_id = i.id`,
    TELLS,
  ),
};

/** A row of that statement; a comment has no comments and no lane time. */
export interface CountsRow {
  readonly id: string;
  readonly comments?: number;
  readonly reactions: ReactionCounts;
  readonly lane_time?: Date | null;
  readonly weights: Record<string, number>;
}

/**
 * A page of who reacted to a thing ($1), with one kind ($5) or any, newest first, as the viewer ($6) may see them. Cost: one
 * range of the `…_listed` index and a few probes for each.
 */
export const listReactions = (target: Target): string => {
  const { table, id } = NAMES[target];
  const { after, order } = keyset('r.created_at', 'r.user_id');
  return `
  SELECT r.user_id AS id, r.kind, r.created_at, ${AUTHOR_COLUMNS}
  FROM ${table} r JOIN users a ON a.id = r.user_id
  WHERE r.${id} = $1 AND ${after('$2', '$3')}
    AND ($5::text IS NULL OR r.kind = $5) AND ${seenBy('a', '$6')} AND ${notKeptAway('a', '$6')}
  ORDER BY ${order} LIMIT $4`;
};

/** A row of that statement. */
export interface ReactionRow extends AuthorColumns {
  readonly id: string;
  readonly kind: string;
  readonly created_at: Date;
}
