import { keyset } from '../../ground/database/keyset.js';

/** A block either way. Cost: two probes of the blocks key. */
export const BLOCKED_BETWEEN = `
  SELECT FROM blocks WHERE (blocker_id, blocked_id) IN (($1::uuid, $2::uuid), ($2::uuid, $1::uuid))`;

/** Follows, or does nothing when it is so already. Both halves of the pair are the key. */
export const FOLLOW = `
  INSERT INTO follows (follower_id, followee_id) VALUES ($1, $2)
  ON CONFLICT (follower_id, followee_id) DO NOTHING
  RETURNING created_at`;

/** Since when one user follows another. Cost: one probe of the key. */
export const FOLLOWED_SINCE = `SELECT created_at FROM follows WHERE follower_id = $1 AND followee_id = $2`;

/** Ends a follow: both halves of the pair are in the condition. Cost: one probe of the key. */
export const UNFOLLOW = `DELETE FROM follows WHERE follower_id = $1 AND followee_id = $2`;

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
