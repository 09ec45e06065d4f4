import type { Caller } from '@gather-lane/core';

/**
 * The aliases that the conditions below use themselves. In quotes and with a colon, as no statement around them names a table:
 * an alias of theirs that is also one of the statement's would quietly take its place.
 */
const OWN_ALIAS = { block: '"seen:block"', blocked: '"seen:blocked"', mute: '"seen:mute"' } as const;

/**
 * The SQL condition under which a viewer (a parameter, null for nobody) may see a user and what they make: the account
 * is there, shows itself to everyone or the viewer is signed in, and does not block the viewer. A block holds no
 * moderator back. Cost: one probe of the blocks key for each user, and none for who is nobody.
 */
export const seenBy = (user: string, viewer: string): string => `(
  ${user}.erased_at IS NULL AND CASE WHEN ${viewer}::uuid IS NULL THEN ${user}.audience = 'everyone'
    ELSE NOT EXISTS (SELECT FROM blocks ${OWN_ALIAS.block} JOIN users ${OWN_ALIAS.blocked} ON ${OWN_ALIAS.blocked}.id = ${OWN_ALIAS.block}.blocked_id AND NOT ${OWN_ALIAS.blocked}.moderator
                     WHERE ${OWN_ALIAS.block}.blocker_id = ${user}.id AND ${OWN_ALIAS.block}.blocked_id = ${viewer}::uuid) END)`;

/** What a viewer mutes or blocks is left out of lists that others write in. Cost: a probe of each key. */
export const notKeptAway = (user: string, viewer: string): string => `(
  ${viewer}::uuid IS NULL OR NOT EXISTS (SELECT FROM mutes ${OWN_ALIAS.mute} WHERE ${OWN_ALIAS.mute}.muter_id = ${viewer}::uuid AND ${OWN_ALIAS.mute}.muted_id = ${user}.id)
    AND NOT EXISTS (SELECT FROM blocks ${OWN_ALIAS.block} WHERE ${OWN_ALIAS.block}.blocker_id = ${viewer}::uuid AND ${OWN_ALIAS.block}.blocked_id = ${user}.id))`;

/** The viewer of a call as these conditions take it. */
export const viewerOf = (caller: Caller): string | null => (caller.kind === 'user' ? caller.id : null);
