import type { NewerStep, NewerWay } from '@gather-lane/core';
import { sessionLook } from '../accounts/sessions/look.js';
import { perChoice } from '../ground/database/prepared.js';
import type { SessionLooked } from '../ground/http/reader.js';
import { AUTHORS, entriesOf, IS_OF_FEED, passes, type Entries, type FeedOrder } from './finding.js';

/** As many are counted. */
const COUNTED = 100;
/** As many entries are read at least: what came since a page was read is mostly fewer. */
const LEAST_READ = 200;
/** Asking an author costs more than reading so many entries. */
const READ_FOR_EACH = 4;
/** Looking up one entry costs what putting so many authors into a set does. */
const LOOK_UP = 8;

const isAbove = ({ key, id }: Entries): string => `(t.${key}, t.${id}) > ($3::timestamptz, $4::uuid)`;

/** What all of the feed's authors have above the mark. Cost: one scan, of 2 µs for each author. */
const ofAuthors = (entries: Entries): string => `
  WITH above AS (
    SELECT w.id, w.key FROM (
      SELECT t.${entries.id} AS id, t.${entries.key} AS key FROM ${entries.table} t
      WHERE t.author_id = ANY (ARRAY(${AUTHORS})) AND ${entries.visible} AND ${isAbove(entries)} OFFSET 0) w
    LIMIT ${COUNTED}
  )`;

/** Everybody's entries above the mark, the first of them, and how many those are at most. Cost: 0.25 µs for each. */
const walked = (entries: Entries): string => `
  WITH bound AS MATERIALIZED (
    SELECT following, greatest(${LEAST_READ}, ${READ_FOR_EACH} * following) AS n, following || ' ' || xmin AS follows FROM user_tallies WHERE user_id = $1
  ), top AS MATERIALIZED (
    SELECT t.${entries.id} AS id, t.${entries.key} AS key, t.author_id FROM ${entries.table} t
    WHERE ${entries.visible} AND ${isAbove(entries)} ORDER BY t.${entries.key}, t.${entries.id} LIMIT (SELECT n FROM bound)
  )`;

/** Those of them that pass a sieve ($8, $9). Cost: 0.4 µs for each entry, and a probe for one in seventy and each that is counted. */
const throughSieve = (entries: Entries): string => `${walked(entries)}, above AS (
    SELECT w.id, w.key FROM top w WHERE ${passes('$8', '$9')} LIMIT ${COUNTED}
  )`;

/** Those of them that are of the feed: a few looked up one by one, more tested against the set of authors; where they are too many, each author is asked. */
const byWalk = (entries: Entries): string => `${walked(entries)}, how AS MATERIALIZED (
    SELECT CASE WHEN t.n >= b.n THEN 'each author' WHEN ${LOOK_UP} * t.n < b.following THEN 'looked up' ELSE 'set' END AS way
    FROM (SELECT count(*) AS n FROM top) t, bound b
  ), above AS (
    SELECT w.id, w.key FROM top w WHERE (SELECT way FROM how) = 'looked up' AND ${IS_OF_FEED}
    UNION ALL
    SELECT w.id, w.key FROM top w WHERE (SELECT way FROM how) = 'set' AND (w.author_id IN (${AUTHORS})) IS TRUE
    UNION ALL
    SELECT p.id, p.key FROM (${AUTHORS}) a
    CROSS JOIN LATERAL (
      SELECT t.${entries.id} AS id, t.${entries.key} AS key FROM ${entries.table} t
      WHERE t.author_id = a.id AND ${entries.visible} AND ${isAbove(entries)} LIMIT ${COUNTED}) p
    WHERE (SELECT way FROM how) = 'each author'
    LIMIT ${COUNTED}
  )`;

const ABOVE: Record<NewerWay, (entries: Entries) => string> = {
  authors: ofAuthors,
  sieve: throughSieve,
  walk: byWalk,
};

/** What {@link followsOf} reads, unless so many entries were passed that there may be more above them. */
const FOLLOWS = `(SELECT CASE WHEN (SELECT count(*) FROM above) = ${COUNTED} OR (SELECT count(*) FROM top) < n THEN follows END FROM bound)`;

/**
 * How many posts of the feed stand above where a scroll began ($3, $4): at most 100 of them, those made since it began ($5) apart
 * from those that rose; and whether the viewer's session ($6, of a token signed with the key $7) is alive. Cost: that of its way, the look at
 * the session, and by score a probe for each post that is counted.
 */
export const feedNewer = perChoice((way: NewerWay, order: FeedOrder, weighting: number): string => {
  // By recency posts stand where they were made.
  const [from, made] =
    order === 'recent' ? ['above', 'above.key'] : ['above JOIN posts p ON p.id = above.id', 'p.created_at'];
  return `${ABOVE[way](entriesOf(order, weighting))}
  SELECT count(*) FILTER (WHERE ${made} > $5)::integer AS new, count(*) FILTER (WHERE ${made} <= $5)::integer AS risen,
    ${way === 'sieve' ? FOLLOWS : 'NULL::text'} AS follows, ${sessionLook('$6', '$7')} AS session
  FROM ${from}`;
});

/** A row of that statement. */
export interface NewerRow extends SessionLooked {
  readonly new: number;
  readonly risen: number;
  /** How many the viewer follows, and which state of that it is; null where a sieve gave up, and by other ways. */
  readonly follows: string | null;
}

/** What that statement takes after its other parameters: a sieve ($8), and one less than its bits ($9). */
export const sieveParameters = (step: NewerStep): unknown[] =>
  step.way === 'sieve' ? [step.sieve.bits, step.sieve.mask] : [];
