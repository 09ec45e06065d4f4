import { sessionLook } from '../accounts/sessions/look.js';
import { perChoice, prepared } from '../ground/database/prepared.js';
import type { SessionLooked } from '../ground/http/reader.js';
import { AUTHORS, entriesOf, find, hashOf, IS_OF_FEED, type FeedOrder } from './finding.js';

/** The top of a feed ($1 to $5 as a page has them), for who places its posts otherwise. Cost: that of finding a page by heads. */
export const feedTop = perChoice((order: FeedOrder, weighting: number): string => find('heads', order, weighting));

/** A row of that statement. */
export interface FeedTopRow {
  readonly id: string;
}

/** As many are counted. */
const COUNTED = 100;
/** As many entries are read at least: what came since a page was read is mostly fewer. */
const LEAST_READ = 200;
/** Asking an author costs more than reading so many entries. */
const READ_FOR_EACH = 4;
/** Looking up one entry costs what putting so many authors into a set does. */
const LOOK_UP = 8;

/**
 * How many posts of the feed stand above where a scroll began ($3, $4): at most 100 of them, those made since it began ($5) apart
 * from those that rose; and whether the viewer's session ($6, of a token signed with the key $7) is alive. Reads everybody's entries above
 * the mark, which costs less than to ask each author as long as they are few; a few are looked up one by one, more are tested against the
 * set of authors; where they are too many, each author is asked. Cost: mostly that of the few entries above the mark, and the look at the
 * session; at worst that of finding a page by heads.
 */
export const feedNewer = perChoice((order: FeedOrder, weighting: number): string => {
  const { table, id, key, visible } = entriesOf(order, weighting);
  const above = (alias: string) => `(${alias}${key}, ${alias}${id}) > ($3::timestamptz, $4::uuid)`;
  return `
  WITH bound AS MATERIALIZED (
    SELECT following, greatest(${LEAST_READ}, ${READ_FOR_EACH} * following) AS n FROM user_tallies WHERE user_id = $1
  ), top AS MATERIALIZED (
    SELECT t.${id} AS id, t.author_id FROM ${table} t
    WHERE ${visible} AND ${above('t.')} ORDER BY t.${key}, t.${id} LIMIT (SELECT n FROM bound)
  ), how AS MATERIALIZED (
    SELECT CASE WHEN t.n >= b.n THEN 'each author' WHEN ${LOOK_UP} * t.n < b.following THEN 'looked up' ELSE 'set' END AS way
    FROM (SELECT count(*) AS n FROM top) t, bound b
  ), above AS (
    SELECT w.id FROM top w WHERE (SELECT way FROM how) = 'looked up' AND ${IS_OF_FEED}
    UNION ALL
    SELECT w.id FROM top w WHERE (SELECT way FROM how) = 'set' AND (w.author_id IN (${AUTHORS})) IS TRUE
    UNION ALL
    SELECT p.id FROM (${AUTHORS}) a
    CROSS JOIN LATERAL (
      SELECT t.${id} AS id FROM ${table} t WHERE t.author_id = a.id AND ${visible} AND ${above('t.')} LIMIT ${COUNTED}) p
    WHERE (SELECT way FROM how) = 'each author'
    LIMIT ${COUNTED}
  )
  SELECT count(*) FILTER (WHERE p.created_at > $5)::integer AS new, count(*) FILTER (WHERE p.created_at <= $5)::integer AS risen,
    ${sessionLook('$6', '$7')} AS session
  FROM above JOIN posts p ON p.id = above.id`;
});

/** A row of that statement. */
export interface NewerRow extends SessionLooked {
  readonly new: number;
  readonly risen: number;
}

/** Falls are of no use once every scroll that could meet them has expired. */
export const FORGET_DROPS = `DELETE FROM standing_drops WHERE dropped_at < clock_timestamp() - interval '25 hours'`;

/**
 * Whom a viewer ($1) follows, with the viewer, as a sieve knows them, and which state of that it is: each follow that begins or ends makes
 * the row of their counts another one. Cost: a range of the key of follows.
 */
export const SIEVE_AUTHORS = prepared(`
  SELECT xmin::text AS state, ARRAY(SELECT ${hashOf('followee_id')} FROM follows WHERE follower_id = $1) || ${hashOf('$1::uuid')} AS hashes
  FROM user_tallies WHERE user_id = $1`);

/** A row of that statement. */
export interface SieveRow {
  readonly state: string;
  readonly hashes: number[];
}
