import type { Caller } from '@gather-lane/core';

/**
 * The SQL condition under which a viewer (a parameter, null for nobody) may see a user and what they make: the account
 * is there, shows itself to everyone or the viewer is signed in, and does not block the viewer. A block holds no
 * moderator back. Cost: one probe of the blocks key for each user, and none for who is nobody.
 */
export const seenBy = (user: string, viewer: string): string => `(
  ${user}.erased_at IS NULL AND CASE WHEN ${viewer}::uuid IS NULL THEN ${user}.audience = 'everyone'
    ELSE NOT EXISTS (SELECT FROM blocks b JOIN users v ON v.id = b.blocked_id AND NOT v.moderator
                     WHERE b.blocker_id = ${user}.id AND b.blocked_id = ${viewer}::uuid) END)`;

/** What a viewer mutes or blocks is left out of lists that others write in. Cost: a probe of each key. */
export const notKeptAway = (user: string, viewer: string): string => `(
  ${viewer}::uuid IS NULL OR NOT EXISTS (SELECT FROM mutes WHERE muter_id = ${viewer}::uuid AND muted_id = ${user}.id)
    AND NOT EXISTS (SELECT FROM blocks WHERE blocker_id = ${viewer}::uuid AND blocked_id = ${user}.id))`;

/** The viewer of a call as these conditions take it. */
export const viewerOf = (caller: Caller): string | null => (caller.kind === 'user' ? caller.id : null);
