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

/** A user's live sessions ($1), the one used last first. Cost: one range of sessions_user. */
export const LIST_SESSIONS = `
  SELECT id, acting, created_at, coalesce(rotated_at, created_at) AS renewed_at, expires_at FROM sessions
  WHERE user_id = $1 AND ended_at IS NULL AND expires_at > clock_timestamp()
  ORDER BY coalesce(rotated_at, created_at) DESC, id DESC LIMIT 200`;

/** A row of that statement. */
export interface SessionRow {
  readonly id: string;
  readonly acting: boolean;
  readonly created_at: Date;
  readonly renewed_at: Date;
  readonly expires_at: Date;
}

/** Ends a user's live sessions ($1), all but one ($2, null for none). */
export const END_SESSIONS = `
  UPDATE sessions SET ended_at = clock_timestamp()
  WHERE user_id = $1 AND ended_at IS NULL AND id IS DISTINCT FROM $2::uuid`;

/** Changes a password, guarded by the hash that was checked ($2): of two changes at once one is refused. */
export const CHANGE_PASSWORD = `
  UPDATE credentials SET password_hash = $3 WHERE user_id = $1 AND password_hash = $2 RETURNING user_id`;
