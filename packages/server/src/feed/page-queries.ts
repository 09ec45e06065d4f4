import type { OwnFields } from '@gather-lane/core';
import { seenBy } from '../accounts/users/visibility.js';
import type { InstantText } from '../ground/database/instants.js';
import { perChoice } from '../ground/database/prepared.js';
import type { SessionLooked } from '../ground/http/reader.js';
import { sessionLook } from '../accounts/sessions/look.js';
import { REACHES } from '../ground/standbys/reaches.js';
import { POST_JOINS, postColumns, type PostRow } from '../posts/posts/shown-post.js';
import { find, hasFallen, type FeedOrder, type Way } from './finding.js';

/** The statements that read a page, of which there is one for each way, order and weighting. */
export type PageStatement = (way: Way, order: FeedOrder, weighting: number, withSince: boolean) => string;

/**
 * What is there as a scroll begins. A standby does not know which transactions are under way: there, all that began since the oldest of them
 * counts as not seen.
 */
const SNAPSHOT = `CASE WHEN pg_is_in_recovery() THEN pg_snapshot_xmin(pg_current_snapshot()) || ':' || pg_snapshot_xmin(pg_current_snapshot()) || ':'
      ELSE pg_current_snapshot()::text END`;

/**
 * A page of the following feed of $1, with the posts and all that they show, the snapshot and clock of the database, and whether the viewer's
 * session ($7, of a token signed with the key $8) is alive. Posts are found by one of the ways, at most $5, each but the last of so many then
 * read by its key: that one says that there is more. OFFSET 0 keeps that from becoming a join of the planner's choice. A post that may not be
 * seen is a row without an id, and so is an empty page.
 *
 * What has fallen past the cursor is looked for among the posts of the page alone: a page without such a one is the page that
 * leaving them out would have given. The lane time is not among what is read: it is the key where that is the one in force, and reckoned
 * from what is counted anywhere else.
 *
 * Cost: what finding them costs, five to six primary-key probes for each post, and the look at the session.
 */
export const feedPage = (model: OwnFields): PageStatement =>
  perChoice(
    (way, order, weighting, withSince) => {
      const fell =
        order === 'score' ? `CASE WHEN $6::text IS NOT NULL THEN ${hasFallen('e.id', weighting)} END` : 'NULL::boolean';
      // Twenty times the same would be written, sent and read twenty times.
      const ofPage = ['snapshot', 'now', 'follows', 'seen', 'session'].map(
        (name) => `CASE WHEN e.n > 1 THEN NULL ELSE m.${name} END AS ${name}`,
      );
      return `
  WITH entries AS MATERIALIZED (${find(way, order, weighting)}
  )
  SELECT ${ofPage.join(', ')}, e.id AS found, e.key, ${fell} AS fell, v.*
  FROM (SELECT coalesce($6::text, ${SNAPSHOT}) AS snapshot, clock_timestamp()::timestamptz(3) AS now,
    (SELECT following || ' ' || xmin FROM user_tallies WHERE user_id = $1) AS follows, ${REACHES} AS seen,
    ${sessionLook('$7', '$8')} AS session) m
  LEFT JOIN (SELECT id, key, row_number() OVER (ORDER BY key DESC, id DESC) AS n FROM entries) e ON true
  LEFT JOIN LATERAL (
    SELECT ${postColumns(model, '$1')}, ${withSince ? 'o.created_at' : 'NULL::timestamptz'} AS since
    FROM posts p
    ${POST_JOINS}
    ${withSince ? 'LEFT JOIN follows o ON o.follower_id = $1 AND o.followee_id = p.author_id' : ''}
    WHERE e.n < $5 AND p.id = e.id AND p.deleted_at IS NULL AND ${seenBy('a', '$1')} OFFSET 0) v ON true
  ORDER BY e.key DESC, e.id DESC`;
    },
    { textInstants: true },
  );

/** What that statement says of the page as a whole, in the first row alone. */
interface PageFacts {
  readonly snapshot: string;
  /** How far into the log what was read reaches. */
  readonly seen: string;
  readonly now: InstantText;
  /** How many the viewer follows, and which state of that it is: what {@link followsOf} reads. */
  readonly follows: string;
}

/** A row of that statement. */
export interface FeedPageRow
  extends Omit<PostRow, 'id' | 'lane_time'>, Partial<Record<keyof PageFacts, unknown>>, SessionLooked {
  /** Null on an empty page. */
  readonly found: string | null;
  readonly key: InstantText;
  /** Whether it has fallen past the cursor; null where there is none, and by recency. */
  readonly fell: boolean | null;
  /** Null for a post that may not be seen. */
  readonly id: string | null;
  /** Since when its author is followed, where that was asked. */
  readonly since: InstantText | null;
}

/** What is said of a page as a whole. */
export const factsOf = ([first]: readonly FeedPageRow[]): PageFacts => first as FeedPageRow & PageFacts;

/** How many a viewer follows, and which state of what they follow was read. */
export interface Follows {
  readonly following: number;
  readonly state: string;
}

/** What a statement says of whom its viewer follows. */
export function followsOf(told: string): Follows {
  const [following, state] = told.split(' ') as [string, string];
  return { following: Number(following), state };
}
