import { prepared } from '../../ground/database/prepared.js';
import { SESSION_CHECK } from './look.js';

/** Of every signed-in request that does not look at its session along with what it reads. */
export const CHECK_SESSION = prepared(SESSION_CHECK);

/** A session ($1) that is alive and may be refreshed, held until the transaction ends: refreshes of one come one by one. */
export const HOLD_SESSION = `
  SELECT user_id, family_hash FROM sessions
  WHERE id = $1 AND ended_at IS NULL AND expires_at > clock_timestamp() AND NOT acting AND NOT by_cookie FOR NO KEY UPDATE`;

/** A row of that statement. */
export interface HeldSessionRow {
  readonly user_id: string;
  readonly family_hash: Buffer | null;
}

/** What is known of a refresh token ($2) of a session ($1). Cost: a probe of the key, and one of refresh_tokens_session. */
export const REFRESH_STATE = `
  SELECT (extract(epoch FROM clock_timestamp() - t.used_at) * 1000)::double precision AS "usedAgoMs",
    EXISTS (SELECT FROM refresh_tokens n WHERE n.session_id = t.session_id AND n.parent_hash = t.hash AND n.used_at IS NOT NULL) AS "successorUsed"
  FROM refresh_tokens t WHERE t.hash = $2 AND t.session_id = $1`;

/** Notes that a refresh token ($1) was used; the first time counts. */
export const USE_REFRESH_TOKEN = `UPDATE refresh_tokens SET used_at = clock_timestamp() WHERE hash = $1 AND used_at IS NULL`;

/** Keeps a refresh token ($1) of a session ($2), handed out for another ($3, null for the first). */
export const KEEP_REFRESH_TOKEN = `INSERT INTO refresh_tokens (hash, session_id, parent_hash) VALUES ($1, $2, $3)`;

/** A session ($1) lives on for so many days ($2). */
export const RENEW_SESSION = `
  UPDATE sessions SET rotated_at = clock_timestamp(), expires_at = clock_timestamp() + make_interval(days => $2) WHERE id = $1`;

/**
 * Forgets refresh tokens of a session ($1) that can only be stolen ones by now: used a while ago, as was one that was handed
 * out for them. Of those that nobody used the latest 50 stay.
 */
export const FORGET_REFRESH_TOKENS = `
  DELETE FROM refresh_tokens t WHERE t.session_id = $1 AND (
    t.used_at < clock_timestamp() - interval '1 minute' AND EXISTS (
      SELECT FROM refresh_tokens n WHERE n.session_id = t.session_id AND n.parent_hash = t.hash AND n.used_at IS NOT NULL)
    OR t.hash IN (SELECT hash FROM refresh_tokens WHERE session_id = $1 AND used_at IS NULL ORDER BY made_at DESC, hash OFFSET 50))`;

/** Ends a session ($1) whose refresh token somebody else has too. */
export const END_STOLEN_SESSION = `
  UPDATE sessions SET ended_at = clock_timestamp(), end_reason = 'reuse' WHERE id = $1 AND ended_at IS NULL`;

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
