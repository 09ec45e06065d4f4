/** What a route declares about who may call it. A kind of thing is one or two words: `post`, `removed post`. */
export type DoorwayRule =
  'anyone' | 'signed-in' | 'moderator' | 'operator' | `owner of ${string}` | `owner or moderator of ${string}`;

/** Who is calling; it comes from the verified credential alone. */
export type Caller =
  | { readonly kind: 'nobody' }
  | { readonly kind: 'user'; readonly id: string; readonly moderator?: boolean }
  | { readonly kind: 'operator' };

/** What the decision needs to know about the thing that a rule speaks of. */
export interface Owned {
  readonly ownerId: string | null;
  /** Counts the edits; compared with the caller's `If-Match`. */
  readonly version: number;
}

/** Why a call is refused, in the order in which the reasons are looked for. */
export type Refusal = 'not-signed-in' | 'wrong-principal' | 'moderators-only' | 'not-found' | 'not-yours' | 'stale';

const OWNER = /^owner (or moderator )?of ([a-z]+(?: [a-z]+)?)$/;

/** The kind of thing that an ownership rule speaks of, or null for the other rules. */
export function ownedKind(rule: DoorwayRule): string | null {
  return OWNER.exec(rule)?.[2] ?? null;
}

const PLAIN_RULES: readonly string[] = ['anyone', 'signed-in', 'moderator', 'operator'];

/** True for a rule that this module can decide; whether somebody knows the owner of its kind of thing is for others to say. */
export const isDoorwayRule = (rule: unknown): rule is DoorwayRule =>
  typeof rule === 'string' && (PLAIN_RULES.includes(rule) || OWNER.test(rule));

const isModerator = (caller: Caller): boolean => caller.kind === 'user' && caller.moderator === true;

/** The part of the decision that needs no look at the thing itself: null when the caller may go on. */
export function decideCaller(rule: DoorwayRule, caller: Caller): Refusal | null {
  if (rule === 'operator') {
    if (caller.kind === 'operator') return null;
    return caller.kind === 'nobody' ? 'not-signed-in' : 'wrong-principal';
  }
  if (caller.kind === 'operator') return 'wrong-principal';
  if (caller.kind === 'nobody') return rule === 'anyone' ? null : 'not-signed-in';
  return rule === 'moderator' && !isModerator(caller) ? 'moderators-only' : null;
}

/**
 * Whether a call goes through the doorway: null, or the reason why not.
 * @param owned the thing of an ownership rule, or null when it is not there for this caller
 * @param ifMatch the version that the caller believes to be current, when they said one
 */
export function decide(rule: DoorwayRule, caller: Caller, owned: Owned | null, ifMatch?: number): Refusal | null {
  const refusal = decideCaller(rule, caller);
  if (refusal || !ownedKind(rule)) return refusal;
  if (!owned) return 'not-found';
  const moderates = rule.startsWith('owner or moderator') && isModerator(caller);
  if (!moderates && !isOwner(caller, owned.ownerId)) return 'not-yours';
  return ifMatch !== undefined && ifMatch !== owned.version ? 'stale' : null;
}

/** Whether something is the caller's own; what nobody owns any more is nobody's. */
export const isOwner = (caller: Caller, ownerId: string | null): boolean =>
  caller.kind === 'user' && ownerId !== null && caller.id === ownerId;

/** What the caller may do with a post or a comment that is in sight; the source of every `can` block. */
export function canOf(caller: Caller, ownerId: string | null): { edit: boolean; delete: boolean; withhold: boolean } {
  const own = isOwner(caller, ownerId);
  return { edit: own, delete: own || isModerator(caller), withhold: isModerator(caller) && !own };
}

/** Who took a post or a comment out of sight: its owner, or a moderator for good or for the time being. */
export type Removal = 'owner' | 'moderator' | 'withheld';

/** How long what was deleted can be restored. */
export const RESTORABLE_DAYS = 30;

/** Why something that was removed cannot be restored by this caller. */
export type RestoreRefusal = 'too-late' | 'moderators-decision' | 'owners-decision';

/**
 * Whether a caller may bring back what was removed: each side undoes only what it did itself, so that neither
 * publishes against the other's will. What is withheld waits for a moderator without limit.
 */
export function decideRestore(
  caller: Caller,
  thing: { ownerId: string | null; removal: Removal; removedAt: number },
  now: number,
): RestoreRefusal | null {
  const own = isOwner(caller, thing.ownerId);
  if (thing.removal === 'owner' && !own) return 'owners-decision';
  if (thing.removal !== 'owner' && !isModerator(caller)) return 'moderators-decision';
  const late = now - thing.removedAt > RESTORABLE_DAYS * 86_400_000;
  return thing.removal !== 'withheld' && late ? 'too-late' : null;
}
