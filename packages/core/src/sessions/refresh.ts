/** For how long a refresh token that was used may be sent again without a question: a lost reply, or another tab. */
export const REFRESH_GRACE_MS = 15_000;

/** What is known of a refresh token of a session that is alive. */
export interface RefreshState {
  /** How long ago it was used first, in milliseconds; null for one that was not used yet. */
  readonly usedAgoMs: number | null;
  /** Whether a token that was handed out for it has been used. */
  readonly successorUsed: boolean;
}

/** What becomes of a refresh: new tokens, or the end of a session whose token somebody else has too. */
export type RefreshDecision = 'renew' | 'stolen';

/**
 * Decides a refresh. Each one hands out a token of its own, so that two that come at once, or one that is sent again after a
 * lost reply, never take the other's away. Only a token whose successor was used has certainly arrived where it should: when
 * such a one comes again after the grace, two hold it.
 * @param state null for a token of the session that was forgotten, as those are whose successor was used long ago
 */
export function decideRefresh(state: RefreshState | null): RefreshDecision {
  if (state === null) return 'stolen';
  const { usedAgoMs, successorUsed } = state;
  return usedAgoMs !== null && usedAgoMs > REFRESH_GRACE_MS && successorUsed ? 'stolen' : 'renew';
}
