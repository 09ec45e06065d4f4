import { WEIGHTING_COLUMNS } from '../weighting/queries.js';

/**
 * The first statement of every signed-in request: is the session alive, whose is it, and which weighting
 * is in force. Cost: three primary-key probes and one of a table with one row in force.
 */
export const CHECK_SESSION = `
  SELECT s.id, s.user_id, u.handle, ${WEIGHTING_COLUMNS}
  FROM sessions s
  JOIN users u ON u.id = s.user_id
  JOIN weightings w ON w.in_force
  WHERE s.id = $1 AND s.ended_at IS NULL AND s.expires_at > clock_timestamp()`;

/**
 * Rotates a refresh token, guarded by the hash of the one that was sent ($2), so that of two calls with
 * the same token one wins; the token before it is taken once more within 15 s, for a lost reply.
 */
export const ROTATE_SESSION = `
  UPDATE sessions
  SET previous_hash = CASE WHEN refresh_hash = $2 THEN refresh_hash END, refresh_hash = $3,
      rotated_at = clock_timestamp(), expires_at = clock_timestamp() + make_interval(days => $4)
  WHERE id = $1 AND ended_at IS NULL AND expires_at > clock_timestamp() AND NOT acting
    AND (refresh_hash = $2 OR (previous_hash = $2 AND rotated_at > clock_timestamp() - interval '15 s'))
  RETURNING user_id`;

/** A refresh token that was rotated away and comes again was stolen or copied: its session ends. */
export const END_REUSED_SESSION = `
  UPDATE sessions SET ended_at = clock_timestamp() WHERE id = $1 AND previous_hash = $2 AND ended_at IS NULL`;
