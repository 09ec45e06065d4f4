import type { SignedIn } from '../../ground/http/principal.js';
import { toWeighting, type WeightingColumns } from '../../ranking/weighting/in-force.js';

/** A row of that statement. */
export interface SessionCheckRow extends WeightingColumns {
  readonly id: string | null;
  readonly user_id: string;
  readonly handle: string;
  readonly moderator: boolean;
}

/** What the check of a session of our own says beside. */
export interface OwnSessionCheckRow extends SessionCheckRow {
  /** Which signing keys there are. */
  readonly keys: string | null;
}

/** The signed-in caller that a row says. */
export const toSignedIn = (row: SessionCheckRow): SignedIn => ({
  id: row.id,
  userId: row.user_id,
  handle: row.handle,
  moderator: row.moderator,
  weighting: toWeighting(row),
});
