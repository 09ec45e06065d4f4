import { SWEEP_ENTRIES, type FindStep, type FindWay } from '@gather-lane/core';
import { standingsTable } from '../ranking/weighting/standings.js';

/** The two orders of a feed. */
export type FeedOrder = 'recent' | 'score';

/** Those whose posts a feed holds: whom the caller ($1) follows less those muted and, where $2 says so, the caller. */
export const AUTHORS = `SELECT followee_id AS id FROM follows WHERE follower_id = $1
      AND (followee_id IN (SELECT muted_id FROM mutes WHERE muter_id = $1)) IS NOT TRUE
    UNION ALL SELECT $1::uuid WHERE $2::boolean`;

/**
 * Whether an entry `w` is by one of them, looked up by itself. OFFSET 0 keeps the look-up from becoming a join. Cost: a probe of
 * the follows' key.
 */
export const IS_OF_FEED = `(w.author_id = $1 AND $2::boolean
      OR EXISTS (SELECT FROM follows f WHERE f.follower_id = $1 AND f.followee_id = w.author_id OFFSET 0)
        AND (w.author_id IN (SELECT muted_id FROM mutes WHERE muter_id = $1)) IS NOT TRUE)`;

/** By what an author is known to a sieve: 32 bits. */
export const hashOf = (author: string): string => `uuid_hash(${author})`;

/** Where the entries of an order are. */
export interface Entries {
  readonly table: string;
  readonly id: string;
  readonly key: string;
  readonly visible: string;
}

/** The table of an order, with an index in the order of the feed and one for each author. */
export const entriesOf = (order: FeedOrder, weighting: number): Entries =>
  order === 'recent'
    ? { table: 'posts', id: 'id', key: 'created_at', visible: 'deleted_at IS NULL' }
    : { table: standingsTable(weighting), id: 'post_id', key: 'lane_time', visible: 'true' };

/**
 * True for an entry that this scroll may already have shown before it fell: dropped from at or above the cursor ($3, $4), by a
 * transaction that the snapshot ($6) of the scroll's first page did not see. A scalar subquery on purpose: as EXISTS it becomes
 * a join with all drops (10 ms a page instead of 0.1). Cost: a probe of the key of standing_drops.
 */
export const hasFallen = (entry: string, weighting: number): string => `(
    SELECT true FROM standing_drops d
    WHERE d.post_id = ${entry} AND d.weighting = ${weighting} AND d.xid >= pg_snapshot_xmin($6::text::pg_snapshot)
      AND (d.from_lane_time, d.post_id) >= ($3::timestamptz, $4::uuid)
      AND NOT pg_visible_in_snapshot(d.xid, $6::text::pg_snapshot) LIMIT 1) IS NOT NULL`;

const NO_ID = '00000000-0000-0000-0000-000000000000';

/** The cursor ($3 instant, $4 id) is compared as a row, never with OR. */
const below = (key: string, id: string): string => `(${key}, ${id}) < ($3::timestamptz, $4::uuid)`;

/** The newest entries of an author below the cursor. Cost: one probe of the author's index. */
const newest = ({ table, id, key, visible }: Entries, author: string, limit: string, and = ''): string => `
      SELECT t.${id} AS id, t.${key} AS key FROM ${table} t
      WHERE t.author_id = ${author} AND ${visible} AND ${below(`t.${key}`, `t.${id}`)} ${and}
      ORDER BY t.${key} DESC, t.${id} DESC LIMIT ${limit}`;

/** Everybody's newest entries below the cursor, in the order of the feed. Cost: 0.25 µs for each. */
const walk = ({ table, id, key, visible }: Entries, entries: string): string => `
      SELECT ${id} AS id, ${key} AS key, author_id FROM ${table}
      WHERE ${visible} AND ${below(key, id)}
      ORDER BY ${key} DESC, ${id} DESC
      LIMIT (SELECT ${entries} FROM user_tallies WHERE user_id = $1)`;

/**
 * All that the authors have between the cursor and a floor ($9). The authors are one array, and so it is one scan, which finds the
 * first entry of each by itself: a join would begin anew for each. OFFSET 0 keeps everybody's entries from being walked in the order of
 * the page until it is full; in a table so small that all between cursor and floor cost less than a probe for each author, these are
 * read. Cost: 3 µs for each author, and 0.3 µs for each entry.
 */
const inWindow = ({ table, id, key, visible }: Entries): string => `
    SELECT w.id, w.key, w.author_id FROM (
      SELECT t.${id} AS id, t.${key} AS key, t.author_id FROM ${table} t
      WHERE t.author_id = ANY (ARRAY(${AUTHORS})) AND ${visible} AND ${below(`t.${key}`, `t.${id}`)} AND t.${key} >= $9::timestamptz OFFSET 0) w
    ORDER BY w.key DESC, w.id DESC LIMIT $5`;

/**
 * The walk, less the entries of others. The set test is `(… IN (SELECT …)) IS TRUE`: it keeps the order of the walk, where the
 * planner would make a join of a plain IN. Cost: the set of authors, and SWEEP_ENTRIES entries for each of them at most.
 */
const sweep = (entries: Entries): string => `
    SELECT w.id, w.key, w.author_id FROM (${walk(entries, `${SWEEP_ENTRIES} * (following + 1)`)}) w
    WHERE (w.author_id IN (${AUTHORS})) IS TRUE LIMIT $5`;

/**
 * The walk, each entry looked up by itself: no set of thousands is made. Cost: a probe for each entry, and at most half as many
 * as the viewer follows.
 */
const probe = (entries: Entries): string => `
    SELECT w.id, w.key, w.author_id FROM (${walk(entries, 'following / 2')}) w
    WHERE ${IS_OF_FEED} LIMIT $5`;

/**
 * Whether an entry `w` is by one of them, of whose author two bits of a sieve are looked at; who passes is looked up.
 * @param bits the parameter that holds it
 * @param mask the one that says how many bits there are, less one
 */
export const passes = (bits: string, mask: string): string => `
    CASE WHEN get_bit(${bits}::bytea, (${hashOf('w.author_id')} & ${mask}::integer)::bigint) = 1
        AND get_bit(${bits}::bytea, ((${hashOf('w.author_id')} >> 16) & ${mask}::integer)::bigint) = 1
      THEN ${IS_OF_FEED} ELSE false END`;

/**
 * The walk, less those whose author does not pass a sieve ($9, $10). Cost: 0.4 µs for each entry, of which as many are read as by a sweep at
 * most, and a probe for one in seventy and each on the page.
 */
const throughSieve = (entries: Entries): string => `
    SELECT w.id, w.key, w.author_id FROM (${walk(entries, `${SWEEP_ENTRIES} * (following + 1)`)}) w
    WHERE ${passes('$9', '$10')} LIMIT $5`;

/**
 * The best entry of each author; the $5 best of these name the only authors that the page can hold, and of those no entry beyond
 * the last head is needed. Cost: 6 µs for each author, and a probe more for those on the page.
 */
const heads = (entries: Entries, and: string): string => {
  const atFloor = `AND (t.${entries.key}, t.${entries.id}) >= (coalesce((SELECT key FROM floor), '-infinity'), coalesce((SELECT id FROM floor), '${NO_ID}'))`;
  return `
    WITH heads AS MATERIALIZED (
      SELECT h.id, h.key, a.id AS author_id FROM (${AUTHORS}) a
      CROSS JOIN LATERAL (${newest(entries, 'a.id', '1', and)}) h
      ORDER BY h.key DESC, h.id DESC LIMIT $5
    ), floor AS MATERIALIZED (
      SELECT id, key FROM heads ORDER BY key DESC, id DESC OFFSET $5 - 1 LIMIT 1
    )
    SELECT p.id, p.key, heads.author_id FROM heads
    CROSS JOIN LATERAL (${newest(entries, 'heads.author_id', '$5', `${and} ${atFloor}`)}) p
    ORDER BY p.key DESC, p.id DESC LIMIT $5`;
};

/** How a page is found: `past falls` is `heads` that leave out what has fallen past the cursor. */
export type Way = FindWay | 'past falls';
/** A way, and for a window where it ends. */
export type PageStep = FindStep | { readonly way: 'past falls' };

/** What a statement takes after its other parameters: the floor of a window ($9), or a sieve ($9) and one less than its bits ($10). */
export function parametersOf(step: PageStep): unknown[] {
  if (step.way === 'window') return [new Date(step.floor).toISOString()];
  return step.way === 'sieve' ? [step.sieve.bits, step.sieve.mask] : [];
}

/** The first $5 entries of a feed below the cursor ($3, $4), with their keys and authors, in the order of the feed; a window's floor is $9. */
export function find(way: Way, order: FeedOrder, weighting: number): string {
  const entries = entriesOf(order, weighting);
  switch (way) {
    case 'window':
      return inWindow(entries);
    case 'sweep':
      return sweep(entries);
    case 'probe':
      return probe(entries);
    case 'sieve':
      return throughSieve(entries);
    case 'heads':
      return heads(entries, '');
    case 'past falls':
      return heads(entries, `AND NOT ${hasFallen(`t.${entries.id}`, weighting)}`);
  }
}
