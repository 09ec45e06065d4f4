import { perChoice } from '../ground/database/prepared.js';
import { standingsTable } from '../ranking/weighting/standings.js';

/** The two orders of a feed. */
export type FeedOrder = 'recent' | 'score';

/** How many entries of the index the sweep reads for each followee before it gives up. */
export const SWEEP_FACTOR = 4;

interface Source {
  readonly table: string;
  readonly id: string;
  readonly key: string;
  readonly visible: string;
  /** True for an entry that this scroll may already have shown before it fell. */
  readonly seen: ((entry: string) => string) | null;
}

/**
 * Falls past the cursor: dropped from at or above it ($3, $4), by a transaction that the snapshot ($6) of the
 * scroll's first page did not see. A scalar subquery on purpose: as NOT EXISTS it becomes an anti-join over
 * all drops (10 ms a page instead of 0.1).
 */
const fell = (weighting: number) => (entry: string) => `(
        SELECT true FROM standing_drops d
        WHERE d.post_id = ${entry} AND d.weighting = ${weighting} AND d.xid >= pg_snapshot_xmin($6::text::pg_snapshot)
          AND (d.from_lane_time, d.post_id) >= ($3::timestamptz, $4::uuid)
          AND NOT pg_visible_in_snapshot(d.xid, $6::text::pg_snapshot) LIMIT 1) IS NULL`;

function sourceOf(order: FeedOrder, weighting: number): Source {
  return order === 'recent'
    ? { table: 'posts', id: 'id', key: 'created_at', visible: 'deleted_at IS NULL', seen: null }
    : { table: standingsTable(weighting), id: 'post_id', key: 'lane_time', visible: 'true', seen: fell(weighting) };
}

/** Those whose posts a feed holds: whom the caller ($1) follows less those muted and, where $2 says so, the caller. */
export const AUTHORS = `SELECT followee_id AS id FROM follows WHERE follower_id = $1
      AND (followee_id IN (SELECT muted_id FROM mutes WHERE muter_id = $1)) IS NOT TRUE
    UNION ALL SELECT $1::uuid WHERE $2::boolean`;

/**
 * The page of a following feed that begins below the cursor ($3 instant, $4 id): at most $5 ids with their
 * keys, the authors followed since when, and the snapshot and clock of the database.
 *
 * Sweep: walk the one index in feed order, keep entries by a followee, stop at $5 of them; it reads at most
 * SWEEP_FACTOR entries for each followee. Heads, only when the sweep found fewer: one index probe for each
 * followee's best post; the $5 best of these name the only authors that the page can hold, and of those no post
 * beyond the last head is needed. Cost: about twice the better part at most, whatever the follow count.
 *
 * The set test is `(… IN (SELECT …)) IS TRUE`, or the planner makes a memoized semi-join of it (200 times the
 * buffers); the cursor is compared as a row, never with OR; nothing is left for the planner to choose.
 */
export const feedPage = perChoice((order: FeedOrder, weighting: number): string => {
  const { table, id, key, visible, seen } = sourceOf(order, weighting);
  const unseen = (entry: string) => (seen ? `AND ${seen(entry)}` : '');
  return `
  WITH sweep AS MATERIALIZED (
    SELECT e.id, e.key, e.author_id FROM (
      SELECT w.id, w.key, w.author_id FROM (
        SELECT ${id} AS id, ${key} AS key, author_id FROM ${table}
        WHERE ${visible} AND (${key}, ${id}) < ($3::timestamptz, $4::uuid)
        ORDER BY ${key} DESC, ${id} DESC
        LIMIT (SELECT ${SWEEP_FACTOR} * (following + 1) FROM user_tallies WHERE user_id = $1)
      ) w
      WHERE (w.author_id IN (${AUTHORS})) IS TRUE OFFSET 0
    ) e
    WHERE true ${unseen('e.id')}
    LIMIT $5
  ), heads AS MATERIALIZED (
    SELECT h.id, h.key, a.id AS author_id
    FROM (${AUTHORS}) a
    CROSS JOIN LATERAL (
      SELECT t.${id} AS id, t.${key} AS key FROM ${table} t
      WHERE t.author_id = a.id AND ${visible} AND (t.${key}, t.${id}) < ($3::timestamptz, $4::uuid) ${unseen(`t.${id}`)}
      ORDER BY t.${key} DESC, t.${id} DESC LIMIT 1
    ) h
    WHERE (SELECT count(*) FROM sweep) < $5
    ORDER BY h.key DESC, h.id DESC LIMIT $5
  ), floor AS MATERIALIZED (
    SELECT id, key FROM heads ORDER BY key DESC, id DESC OFFSET $5 - 1 LIMIT 1
  ), chosen AS (
    SELECT id, key, author_id FROM sweep WHERE (SELECT count(*) FROM sweep) >= $5
    UNION ALL
    SELECT p.id, p.key, h.author_id
    FROM heads h
    CROSS JOIN LATERAL (
      SELECT t.${id} AS id, t.${key} AS key FROM ${table} t
      WHERE t.author_id = h.author_id AND ${visible} AND (t.${key}, t.${id}) < ($3::timestamptz, $4::uuid) ${unseen(`t.${id}`)}
        AND (t.${key}, t.${id}) >= (coalesce((SELECT key FROM floor), '-infinity'), coalesce((SELECT id FROM floor), '00000000-0000-0000-0000-000000000000'))
      ORDER BY t.${key} DESC, t.${id} DESC LIMIT $5
    ) p
    ORDER BY key DESC, id DESC LIMIT $5
  )
  SELECT m.snapshot, m.now, c.id, c.key, f.created_at AS since
  FROM (SELECT coalesce($6::text, pg_current_snapshot()::text) AS snapshot, clock_timestamp()::timestamptz(3) AS now) m
  LEFT JOIN chosen c ON true
  LEFT JOIN follows f ON f.follower_id = $1 AND f.followee_id = c.author_id
  ORDER BY c.key DESC, c.id DESC`;
});

/** A row of that statement: an empty page is one row without an id. */
export interface FeedPageRow {
  readonly snapshot: string;
  readonly now: Date;
  readonly id: string | null;
  readonly key: Date;
  readonly since: Date | null;
}

/**
 * How many posts of the feed stand above where a scroll began ($3, $4): at most 100 of them, those made since
 * it began ($5) apart from those that rose. Reads the top of the index as far as the mark, but no more than a
 * sweep would; past that, probes each followee. Cost: that of a page at most.
 */
export const feedNewer = perChoice((order: FeedOrder, weighting: number): string => {
  const { table, id, key, visible } = sourceOf(order, weighting);
  return `
  WITH top AS MATERIALIZED (
    SELECT p.${id} AS id, p.${key} AS key, p.author_id FROM ${table} p
    WHERE ${visible} AND (${key}, ${id}) > ($3::timestamptz, $4::uuid)
    ORDER BY ${key}, ${id}
    LIMIT (SELECT ${SWEEP_FACTOR} * (following + 1) + 100 FROM user_tallies WHERE user_id = $1)
  ), whole AS MATERIALIZED (
    SELECT (SELECT count(*) FROM top) < (SELECT ${SWEEP_FACTOR} * (following + 1) + 100 FROM user_tallies WHERE user_id = $1) AS yes
  ), above AS (
    SELECT id FROM top WHERE (SELECT yes FROM whole) AND (author_id IN (${AUTHORS})) IS TRUE
    UNION ALL
    SELECT p.id FROM (${AUTHORS}) a
    CROSS JOIN LATERAL (
      SELECT t.${id} AS id FROM ${table} t
      WHERE t.author_id = a.id AND ${visible} AND (t.${key}, t.${id}) > ($3::timestamptz, $4::uuid) LIMIT 100
    ) p
    WHERE NOT (SELECT yes FROM whole)
    LIMIT 100
  )
  SELECT count(*) FILTER (WHERE p.created_at > $5)::integer AS new, count(*) FILTER (WHERE p.created_at <= $5)::integer AS risen
  FROM above JOIN posts p ON p.id = above.id`;
});

/** Falls are of no use once every scroll that could meet them has expired. */
export const FORGET_DROPS = `DELETE FROM standing_drops WHERE dropped_at < clock_timestamp() - interval '25 hours'`;
