import { keyset } from '../../ground/database/keyset.js';

/** Mutes; doing it again changes nothing. Cost: one probe of the key. */
export const MUTE = `INSERT INTO mutes (muter_id, muted_id) VALUES ($1, $2) ON CONFLICT DO NOTHING RETURNING created_at`;

/** Ends a mute. */
export const UNMUTE = `DELETE FROM mutes WHERE muter_id = $1 AND muted_id = $2`;

/** Blocks; doing it again changes nothing. */
export const BLOCK = `INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2) ON CONFLICT DO NOTHING RETURNING created_at`;

/** Ends a block. */
export const UNBLOCK = `DELETE FROM blocks WHERE blocker_id = $1 AND blocked_id = $2`;

/** A block ends the follows between the two, both ways. Cost: two probes of the follows key. */
export const UNFOLLOW_BOTH = `
  DELETE FROM follows WHERE (follower_id, followee_id) IN (($1::uuid, $2::uuid), ($2::uuid, $1::uuid))`;

const listed = (table: string, own: string, other: string): string => {
  const { after, order } = keyset('created_at', other);
  return `
  SELECT ${other} AS id, created_at FROM ${table}
  WHERE ${own} = $1 AND ${after('$2', '$3')} ORDER BY ${order} LIMIT $4`;
};

/** A page of those whom a user mutes, newest first. Cost: one range of mutes_listed. */
export const MUTED = listed('mutes', 'muter_id', 'muted_id');

/** A page of those whom a user blocks, newest first. Cost: one range of blocks_listed. */
export const BLOCKED = listed('blocks', 'blocker_id', 'blocked_id');
