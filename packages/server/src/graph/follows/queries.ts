import { prepared } from '../../ground/database/prepared.js';
import { keyset } from '../../ground/database/keyset.js';

/**
 * How it stands between pairs of a follower ($1) and a followee ($2), in their order: whether either blocks the other, and since when
 * the one follows. Cost: three probes of keys for each.
 */
export const BETWEEN = prepared(`
  SELECT EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((w.follower_id, w.followee_id), (w.followee_id, w.follower_id))) AS blocked,
    (SELECT f.created_at FROM follows f WHERE f.follower_id = w.follower_id AND f.followee_id = w.followee_id) AS since
  FROM unnest($1::uuid[], $2::uuid[]) WITH ORDINALITY AS w (follower_id, followee_id, n) ORDER BY w.n`);

/** A row of that statement. */
export interface BetweenRow {
  readonly blocked: boolean;
  readonly since: Date | null;
}

/** Makes follows of pairs. Both halves of a pair are the key. */
export const FOLLOW = prepared(`
  INSERT INTO follows (follower_id, followee_id)
  SELECT w.follower_id, w.followee_id FROM unnest($1::uuid[], $2::uuid[]) WITH ORDINALITY AS w (follower_id, followee_id, n) ORDER BY w.n
  ON CONFLICT (follower_id, followee_id) DO NOTHING
  RETURNING follower_id, followee_id, created_at`);

/** A row of that statement. */
export interface FollowedRow {
  readonly follower_id: string;
  readonly followee_id: string;
  readonly created_at: Date;
}

/** Ends follows of pairs: both halves are in the condition. Cost: one probe of the key for each. */
export const UNFOLLOW = prepared(`
  DELETE FROM follows f USING unnest($1::uuid[], $2::uuid[]) AS w (follower_id, followee_id)
  WHERE f.follower_id = w.follower_id AND f.followee_id = w.followee_id`);

const listed = (whose: string, other: string): string => {
  const { after, order } = keyset('created_at', other);
  return `
  SELECT ${other} AS id, created_at FROM follows
  WHERE ${whose} = $1 AND ${after('$2', '$3')} ORDER BY ${order} LIMIT $4`;
};

/** A page of a user's followers, newest first. Cost: one range of follows_followers. */
export const FOLLOWERS = listed('followee_id', 'follower_id');

/** A page of those whom a user follows, newest first. Cost: one range of follows_following. */
export const FOLLOWING = listed('follower_id', 'followee_id');
