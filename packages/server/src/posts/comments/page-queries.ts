import { keyset, LAST_ID } from '../../ground/database/keyset.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';

/** In which order comments are read. */
export type CommentSort = 'oldest' | 'newest' | 'liveliest';

/** Which comments a list holds: all below a post, or those that stand directly at one place, a post or a comment. */
export type CommentLevel = 'all' | 'place';

interface Order {
  readonly after: (key: string, id: string) => string;
  readonly order: string;
}

/** By how many people replied or reacted, from the most; those of the same number by id, the latest first. */
const LIVELIEST: Order = {
  after: (key, id) =>
    `(t.people, t.comment_id) < (coalesce(${key}::integer, 2147483647), coalesce(${id}::uuid, '${LAST_ID}'))`,
  order: 't.people DESC, t.comment_id DESC',
};

const orderOf = (sort: CommentSort): Order =>
  sort === 'liveliest' ? LIVELIEST : keyset('t.created_at', 't.comment_id', sort);

const COLUMN: Record<CommentLevel, string> = { all: 't.post_id', place: 't.place_id' };

/** Whether the author of a comment (t) is read by a viewer in a list: asked by keys for each, whatever the planner thinks. */
const AUTHOR_SHOWN = `(SELECT ${seenBy('a', '$5')} AND ${notKeptAway('a', '$5')} FROM comments c JOIN users a ON a.id = c.author_id WHERE c.id = t.comment_id)`;

/** What shows to a viewer: what they read, and a marker for whatever has something below that shows. */
const SHOWN = `(t.in_sight OR t.below > 0) AND (t.below > 0 OR ${AUTHOR_SHOWN})`;

/**
 * A page of the ids of comments at a place ($1), after a key ($2) and an id ($3), as a viewer ($5) sees them, and below each of them the
 * first so many replies ($6), oldest first, with one more to tell whether that is all. Cost: a range of one of the four indexes
 * of comment_tallies and two probes for each entry, whatever stands there; the same for the replies of each.
 */
export const pageOfComments = (level: CommentLevel, sort: CommentSort): string => {
  const { after, order } = orderOf(sort);
  return `
  SELECT page.id, page.created_at, page.people, first.ids AS replies, first.instants
  FROM (
    SELECT limited.*, row_number() OVER () AS n FROM (
      SELECT t.comment_id AS id, t.created_at, t.people FROM comment_tallies t
      WHERE ${COLUMN[level]} = $1 AND ${after('$2', '$3')} AND ${SHOWN}
      ORDER BY ${order} LIMIT $4
    ) limited
  ) page
  LEFT JOIN LATERAL (
    SELECT array_agg(r.id ORDER BY r.created_at, r.id) AS ids, array_agg(r.created_at ORDER BY r.created_at, r.id) AS instants FROM (
      SELECT t.comment_id AS id, t.created_at FROM comment_tallies t
      WHERE t.place_id = page.id AND ${SHOWN}
      ORDER BY t.created_at, t.comment_id LIMIT $6::integer + 1
    ) r
  ) first ON $6::integer > 0
  ORDER BY page.n`;
};

/** A row of that statement. */
export interface PageRow {
  readonly id: string;
  readonly created_at: Date;
  readonly people: number;
  readonly replies: string[] | null;
  readonly instants: Date[] | null;
}
