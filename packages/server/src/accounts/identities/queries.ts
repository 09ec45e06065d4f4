import { WEIGHTING_COLUMNS } from '../../ranking/weighting/in-force.js';

/**
 * Whose an outside identity is: issuer ($1) and subject ($2), or the hash of the subject ($3) once the account was deleted;
 * with the weighting in force, as the session check has it. Cost: one probe of identities_taken and two of primary keys.
 */
export const CHECK_IDENTITY = `
  SELECT NULL::uuid AS id, i.user_id, u.handle, u.moderator, ${WEIGHTING_COLUMNS}
  FROM identities i
  LEFT JOIN users u ON u.id = i.user_id AND u.erased_at IS NULL
  JOIN weightings w ON w.in_force
  WHERE i.issuer = $1 AND i.subject IN ($2, $3)`;

/** Whose an identity is; a row without a user is that of a deleted account. */
export const FIND_IDENTITY = `SELECT user_id FROM identities WHERE issuer = $1 AND subject IN ($2, $3)`;

/** Two calls with an identity that nobody knows yet make one user: the second waits here, and then finds it. */
export const LOCK_IDENTITY = `SELECT pg_advisory_xact_lock(hashtextextended($1, 0))`;

/** One's identities, the oldest first. */
export const LIST_IDENTITIES = `
  SELECT id, issuer, subject, created_at FROM identities WHERE user_id = $1 ORDER BY created_at, id`;

/** Takes a sign-in that is under way, once, within ten minutes of its beginning. */
export const TAKE_SIGN_IN = `
  DELETE FROM provider_sign_ins WHERE ticket_hash = $1 AND created_at > clock_timestamp() - interval '10 minutes'
  RETURNING provider, state, nonce, verifier, user_id`;

/** A row of that statement. */
export interface SignInRow {
  readonly provider: string;
  readonly state: string;
  readonly nonce: string;
  readonly verifier: string;
  readonly user_id: string | null;
}

/** Holds a user whose ways to sign in are about to change: of two changes at once the second sees the first. */
export const HOLD_USER = `SELECT FROM users WHERE id = $1 FOR NO KEY UPDATE`;

/** Removes one's own identity, unless it is the only way to sign in: no password and no other identity. */
export const UNLINK = `
  DELETE FROM identities i WHERE i.id = $1 AND i.user_id = $2
    AND (EXISTS (SELECT FROM credentials c WHERE c.user_id = $2)
      OR EXISTS (SELECT FROM identities o WHERE o.user_id = $2 AND o.id <> $1))
  RETURNING i.id`;

/** Forgets sign-ins that nobody ended. */
export const FORGET_SIGN_INS = `DELETE FROM provider_sign_ins WHERE created_at < clock_timestamp() - interval '1 hour'`;
