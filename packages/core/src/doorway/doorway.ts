/** Things that somebody owns. */
export type OwnedKind = 'post' | 'comment' | 'user' | 'session';

/** What a route declares about who may call it. */
export type DoorwayRule = 'anyone' | 'signed-in' | 'operator' | `owner of ${OwnedKind}`;

/** Who is calling; it comes from the verified credential alone. */
export type Caller =
  { readonly kind: 'nobody' } | { readonly kind: 'user'; readonly id: string } | { readonly kind: 'operator' };

/** What the decision needs to know about the thing that a rule speaks of. */
export interface Owned {
  readonly ownerId: string;
  /** Counts the edits; compared with the caller's `If-Match`. */
  readonly version: number;
}

/** Why a call is refused, in the order in which the reasons are looked for. */
export type Refusal = 'not-signed-in' | 'wrong-principal' | 'not-found' | 'not-yours' | 'stale';

/** The kind of thing that an ownership rule speaks of, or null for the other rules. */
export function ownedKind(rule: DoorwayRule): OwnedKind | null {
  return rule.startsWith('owner of ') ? (rule.slice('owner of '.length) as OwnedKind) : null;
}

const RULES: ReadonlySet<string> = new Set<DoorwayRule>([
  'anyone',
  'signed-in',
  'operator',
  'owner of post',
  'owner of comment',
  'owner of user',
  'owner of session',
]);

/** True for a rule that this module can decide. */
export const isDoorwayRule = (rule: unknown): rule is DoorwayRule => typeof rule === 'string' && RULES.has(rule);

/** The part of the decision that needs no look at the thing itself: null when the caller may go on. */
export function decideCaller(rule: DoorwayRule, caller: Caller): Refusal | null {
  if (rule === 'operator') {
    if (caller.kind === 'operator') return null;
    return caller.kind === 'nobody' ? 'not-signed-in' : 'wrong-principal';
  }
  if (caller.kind === 'operator') return 'wrong-principal';
  return caller.kind === 'nobody' && rule !== 'anyone' ? 'not-signed-in' : null;
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
  if (caller.kind !== 'user' || owned.ownerId !== caller.id) return 'not-yours';
  return ifMatch !== undefined && ifMatch !== owned.version ? 'stale' : null;
}

/** What the caller may do with something of theirs; the source of every `can` block. */
export function canOf(caller: Caller, ownerId: string): { edit: boolean; delete: boolean } {
  const own = caller.kind === 'user' && caller.id === ownerId;
  return { edit: own, delete: own };
}
