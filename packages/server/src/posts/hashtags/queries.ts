import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';
import { keyset, LAST_ID } from '../../ground/database/keyset.js';
import { standingsTable } from '../../ranking/weighting/standings.js';

/** Whether a viewer sees what an author (a column with their id) makes in a list. Asked by key for each, whatever the planner thinks. */
const shownTo = (viewer: string, author: string): string =>
  `(SELECT ${seenBy('a', viewer)} AND ${notKeptAway('a', viewer)} FROM users a WHERE a.id = ${author})`;

/** Columns of a hashtag. */
const COLUMNS = `h.id, h.name, h.shown, h.posts, h.people`;

/** A row that holds those columns. */
export interface HashtagRow {
  readonly id: string;
  readonly name: string;
  readonly shown: string;
  readonly posts: number;
  readonly people: number;
}

/**
 * One hashtag ($1) that has a post which the viewer ($2) may see, with the weighting in force and about how many posts stand. Cost: one probe,
 * and as many of its newest posts as are of people whom the viewer may not see.
 */
export const FIND_HASHTAG = `
  SELECT ${COLUMNS}, w.id AS weighting,
    (SELECT greatest(c.reltuples, 0)::integer FROM pg_class c WHERE c.oid = to_regclass('standings_' || w.id)) AS standing
  FROM hashtags h JOIN weightings w ON w.in_force
  WHERE h.name = $1 AND EXISTS (
    SELECT FROM post_hashtags p WHERE p.hashtag_id = h.id AND (SELECT ${seenBy('a', '$2')} FROM users a WHERE a.id = p.author_id))`;

/** A row of that statement. */
export interface FoundHashtag extends HashtagRow {
  readonly weighting: number;
  readonly standing: number;
}

/**
 * Hashtags that begin so ($1, folded and escaped for LIKE), most used first, after one of $2 posts and id $3. Cost: a walk of hashtags_used
 * where there is no beginning; the matches of hashtags_prefix otherwise.
 */
export const listHashtags = (prefixed: boolean): string => `
  SELECT ${COLUMNS} FROM hashtags h
  WHERE h.posts > 0 AND ${prefixed ? `h.name LIKE $1 || '%'` : `$1 = ''`} AND (h.posts, h.id) < (coalesce($2::integer, 2147483647), coalesce($3::bigint, 9223372036854775807))
  ORDER BY h.posts DESC, h.id DESC LIMIT $4`;

const NEWEST = keyset('h.created_at', 'h.post_id');

/** A page of a hashtag's ($1) posts, newest first, as a viewer ($5) may see them. Cost: one range of post_hashtags_newest. */
export const NEWEST_POSTS = `
  SELECT h.post_id AS id, h.created_at AS key FROM post_hashtags h
  WHERE h.hashtag_id = $1 AND ${NEWEST.after('$2', '$3')} AND ${shownTo('$5', 'h.author_id')}
  ORDER BY ${NEWEST.order} LIMIT $4`;

const STANDS = (weighting: number) =>
  `CROSS JOIN LATERAL (SELECT s.lane_time FROM ${standingsTable(weighting)} s WHERE s.post_id = h.post_id OFFSET 0) s`;

const BELOW = (instant: string, id: string) =>
  `(${instant}, ${id}) < (coalesce($2::timestamptz, 'infinity'), coalesce($3::uuid, '${LAST_ID}'))`;

const MS = `interval '1 millisecond'`;

/**
 * A page of a hashtag's ($1) posts by lane time, below an instant ($2) and an id ($3), as a viewer ($5) may see them.
 *
 * First the standings are walked, at most so many ($6), and those of the hashtag kept: asked by the key of each, lazily, so that a full
 * page ends it. What that does not fill is found by bounds: of the newest so many below the cursor, the lowest lane time says
 * how old a post can be at most that stands above it, since none is lifted by more than highest_lift_ms; and none
 * below the cursor is younger than it by more than lowest_lift_ms takes posts down. Whom the viewer sees is asked of the sorted ones,
 * until the page is full. Cost: the walk, or a probe of the standings for each of the hashtag's posts between the bounds.
 */
export const scoredPosts = (weighting: number): string => `
  WITH walked AS MATERIALIZED (
    SELECT w.post_id, w.lane_time FROM (
      SELECT s.post_id, s.lane_time, s.author_id FROM ${standingsTable(weighting)} s
      WHERE ${BELOW('s.lane_time', 's.post_id')} ORDER BY s.lane_time DESC, s.post_id DESC LIMIT $6
    ) w
    WHERE (SELECT true FROM post_hashtags h WHERE h.post_id = w.post_id AND h.hashtag_id = $1) AND ${shownTo('$5', 'w.author_id')}
    LIMIT $4
  ), bounds AS MATERIALIZED (
    SELECT highest_lift_ms * ${MS} AS up, coalesce($2::timestamptz, 'infinity') - lowest_lift_ms * ${MS} AS youngest
    FROM weightings WHERE id = ${weighting} AND (SELECT count(*) FROM walked) < $4
  ), newest AS MATERIALIZED (
    SELECT s.lane_time FROM post_hashtags h ${STANDS(weighting)}
    WHERE h.hashtag_id = $1 AND h.created_at <= (SELECT youngest FROM bounds)
      AND ${BELOW('s.lane_time', 'h.post_id')} AND ${shownTo('$5', 'h.author_id')}
    ORDER BY h.created_at DESC, h.post_id DESC LIMIT $4
  ), bounded AS MATERIALIZED (
    SELECT b.post_id, b.lane_time FROM (
      SELECT h.post_id, h.author_id, s.lane_time FROM post_hashtags h ${STANDS(weighting)}
      WHERE h.hashtag_id = $1 AND h.created_at <= (SELECT youngest FROM bounds)
        AND h.created_at >= (SELECT CASE WHEN count(*) < $4 THEN '-infinity' ELSE min(n.lane_time) - (SELECT up FROM bounds) END FROM newest n)
        AND ${BELOW('s.lane_time', 'h.post_id')}
      ORDER BY s.lane_time DESC, h.post_id DESC OFFSET 0
    ) b
    WHERE ${shownTo('$5', 'b.author_id')} LIMIT $4
  )
  SELECT post_id AS id, lane_time AS key FROM walked WHERE (SELECT count(*) FROM walked) >= $4
  UNION ALL
  SELECT post_id, lane_time FROM bounded WHERE (SELECT count(*) FROM walked) < $4
  ORDER BY key DESC, id DESC`;

/**
 * The same of a hashtag with few posts: all of them, sorted. Cost: a probe of the standings for each, and some for those of the page.
 */
export const fewPosts = (weighting: number): string => `
  SELECT b.post_id AS id, b.lane_time AS key FROM (
    SELECT h.post_id, h.author_id, s.lane_time FROM post_hashtags h ${STANDS(weighting)}
    WHERE h.hashtag_id = $1 AND ${BELOW('s.lane_time', 'h.post_id')}
    ORDER BY s.lane_time DESC, h.post_id DESC OFFSET 0
  ) b
  WHERE ${shownTo('$5', 'b.author_id')} LIMIT $4`;

/** A row of a page. */
export interface PageRow {
  readonly id: string;
  readonly key: Date;
}

/** How far back the lively lists look. */
export const WINDOWS = { day: '1 day', week: '7 days' } as const;

/**
 * The liveliest hashtags of a window: the law of lane time over the people who posted under them, each with their latest post of that time
 * (livelyTime in core is the other). Cost: one range of post_hashtags_recent, and a sort of the people in it; a job's, not a request's.
 */
export const makeLively = (over: keyof typeof WINDOWS): string => `
  INSERT INTO lively_hashtags (over, hashtag_id, posts, people, lane_time, made_at)
  SELECT '${over}', hashtag_id, sum(n)::integer, count(*)::integer,
    max(newest) + floor(max(half_life_ms) * (ln(sum(power(2::float8, (extract(epoch FROM latest - newest) * 1000 / half_life_ms)::float8))) / ln(2::float8)) + 0.5) * ${MS} AS lane_time, $1
  FROM (
    SELECT p.hashtag_id, p.latest, p.n, w.half_life_ms, max(p.latest) OVER (PARTITION BY p.hashtag_id) AS newest
    FROM (
      SELECT h.hashtag_id, h.author_id, max(h.created_at) AS latest, count(*) AS n FROM post_hashtags h
      WHERE h.created_at > $1::timestamptz - interval '${WINDOWS[over]}' GROUP BY h.hashtag_id, h.author_id
    ) p JOIN weightings w ON w.in_force
  ) each GROUP BY hashtag_id ORDER BY lane_time DESC, hashtag_id LIMIT $2`;

/** The lively list of a window ($1), as it was made last. Cost: as many probes as it is long. */
export const LIVELY = `
  SELECT ${COLUMNS}, l.posts AS posts_then, l.people AS people_then, l.lane_time, l.made_at
  FROM lively_hashtags l JOIN hashtags h ON h.id = l.hashtag_id WHERE l.over = $1 AND h.posts > 0
  ORDER BY l.lane_time DESC, h.id LIMIT $2`;

/** A row of that statement. */
export interface LivelyRow extends HashtagRow {
  readonly posts_then: number;
  readonly people_then: number;
  readonly lane_time: Date;
  readonly made_at: Date;
}
