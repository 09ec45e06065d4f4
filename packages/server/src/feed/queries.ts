import { perChoice, prepared } from '../ground/database/prepared.js';
import { find, hashOf, type FeedOrder } from './finding.js';

/** The top of a feed ($1 to $5 as a page has them), for who places its posts otherwise. Cost: that of finding a page by heads. */
export const feedTop = perChoice((order: FeedOrder, weighting: number): string => find('heads', order, weighting));

/** A row of that statement. */
export interface FeedTopRow {
  readonly id: string;
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
