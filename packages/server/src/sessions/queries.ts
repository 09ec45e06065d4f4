import { prepared } from '../database/prepared.js';
import type { SignedIn } from '../http/principal.js';
import { toWeighting, WEIGHTING_COLUMNS, type WeightingColumns } from '../weighting/queries.js';

/**
 * The first statement of every signed-in request: is the session alive, whose is it, and which weighting
 * is in force. Cost: three primary-key probes and one of a table with one row in force.
 */
export const CHECK_SESSION = prepared(`
  SELECT s.id, s.user_id, u.handle, u.moderator, ${WEIGHTING_COLUMNS}
  FROM sessions s
  JOIN users u ON u.id = s.user_id
  JOIN weightings w ON w.in_force
  WHERE s.id = $1 AND s.ended_at IS NULL AND s.expires_at > clock_timestamp()
    AND CASE WHEN s.by_cookie THEN s.refresh_hash = $2 ELSE $2::bytea IS NULL END`);

/** A row of that statement. */
export interface SessionCheckRow extends WeightingColumns {
  readonly id: string | null;
  readonly user_id: string;
  readonly handle: string;
  readonly moderator: boolean;
}

/** The signed-in caller that a row says. */
export const toSignedIn = (row: SessionCheckRow): SignedIn => ({
  id: row.id,
  userId: row.user_id,
  handle: row.handle,
  moderator: row.moderator,
  weighting: toWeighting(row),
});

/**
 * Rotates a refresh token, guarded by the hash of the one that was sent ($2), so that of two calls with the same token
 * one wins. The one before it is taken once more within 15 s while its successor is unused: a lost reply, or another
 * tab. Either way the token that was good becomes the one before.
 */
export const ROTATE_SESSION = `
  UPDATE sessions
  SET previous_hash = refresh_hash, refresh_hash = $3, family_hash = coalesce(family_hash, $5),
      rotated_at = clock_timestamp(), expires_at = clock_timestamp() + make_interval(days => $4)
  WHERE id = $1 AND ended_at IS NULL AND expires_at > clock_timestamp() AND NOT acting AND NOT by_cookie
    AND (refresh_hash = $2 OR (previous_hash = $2 AND rotated_at > clock_timestamp() - interval '15 s'))
  RETURNING user_id`;

/**
 * A refresh token that was rotated away and comes again later was stolen or copied: its session ends. Any token of the
 * session is known by what they have in common ($3), so nobody ends a session by its id alone.
 */
export const END_REUSED_SESSION = `
  UPDATE sessions SET ended_at = clock_timestamp(), end_reason = 'reuse'
  WHERE id = $1 AND (previous_hash = $2 OR family_hash = $3) AND ended_at IS NULL AND NOT by_cookie RETURNING user_id`;

/** A user's live sessions ($1), the one used last first. Cost: one range of sessions_user. */
export const LIST_SESSIONS = `
  SELECT id, acting, by_cookie, created_at, coalesce(rotated_at, created_at) AS renewed_at, expires_at FROM sessions
  WHERE user_id = $1 AND ended_at IS NULL AND expires_at > clock_timestamp()
  ORDER BY coalesce(rotated_at, created_at) DESC, id DESC LIMIT 200`;

/** A row of that statement. */
export interface SessionRow {
  readonly id: string;
  readonly acting: boolean;
  readonly by_cookie: boolean;
  readonly created_at: Date;
  readonly renewed_at: Date;
  readonly expires_at: Date;
}

/** Ends one session ($1). */
export const END_SESSION = `
  UPDATE sessions SET ended_at = clock_timestamp(), end_reason = $2 WHERE id = $1 AND ended_at IS NULL`;

/** Ends a user's live sessions ($1), all but one ($2, null for none), for a reason ($3). */
export const END_SESSIONS = `
  UPDATE sessions SET ended_at = clock_timestamp(), end_reason = $3
  WHERE user_id = $1 AND ended_at IS NULL AND id IS DISTINCT FROM $2::uuid`;

/** Changes a password, guarded by the hash that was checked ($2): of two changes at once one is refused. */
export const CHANGE_PASSWORD = `
  UPDATE credentials SET password_hash = $3 WHERE user_id = $1 AND password_hash = $2 RETURNING user_id`;

/**
 * Forgets how a deleted user ($1) signed in. Outside identities stay as a hash of who it was: the account does not come
 * to life again when its owner calls with a token from there.
 */
export const FORGET_CREDENTIALS = [
  `DELETE FROM credentials WHERE user_id = $1`,
  `DELETE FROM password_resets WHERE user_id = $1`,
  `DELETE FROM provider_sign_ins WHERE user_id = $1`,
  `UPDATE identities SET subject = 'sha256:' || encode(sha256(convert_to(subject, 'UTF8')), 'hex'), user_id = NULL WHERE user_id = $1`,
];

/** Sessions stay a while after their end, so that their owner and the operator can see what became of them. */
export const FORGET_SESSIONS = `DELETE FROM sessions WHERE expires_at < clock_timestamp() - interval '30 days'`;
