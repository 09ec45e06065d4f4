import { decide, ownedKind, type Caller, type DoorwayRule, type Owned, type Refusal } from '../doorway/doorway.js';

/** Everybody who tries a route in the ownership check. */
export const ROLES = ['nobody', 'another', 'blocked', 'owner', 'moderator', 'operator'] as const;
/** Somebody who tries a route. */
export type Role = (typeof ROLES)[number];

/** What a route should answer: it lets the caller in, or refuses for a reason. */
export type Expectation = 'let-in' | Refusal;

const OWNER = 'owner';

/** A role as a caller; the one who owns the thing is `owner`. */
export function callerOf(role: Role): Caller {
  if (role === 'nobody' || role === 'operator') return { kind: role };
  return { kind: 'user', id: role === 'owner' ? OWNER : role, ...(role === 'moderator' && { moderator: true }) };
}

/** Things that are out of sight for whom their owner blocks, and for who is nobody where the owner hides from them. */
const SHOWN = ['post', 'comment', 'user'];

/**
 * What a role should meet on a route, where the thing is of an owner who blocks `blocked` and shows themselves to who is
 * signed in only.
 * @param names what of the owner's the path names, where the rule is none of ownership
 */
export function expected(rule: DoorwayRule, role: Role, names: 'post' | 'comment' | 'user' | null): Expectation {
  const caller = callerOf(role);
  const kind = ownedKind(rule);
  const thing = kind ?? names;
  const hidden =
    thing !== null &&
    ((SHOWN.includes(thing) && (role === 'blocked' || role === 'nobody')) ||
      // What its owner deleted, they alone know of.
      (thing.startsWith('removed') && role !== 'owner'));
  const owned: Owned | null = hidden ? null : { ownerId: OWNER, version: 1 };
  const refusal = decide(rule, caller, owned);
  if (refusal) return refusal;
  return hidden && caller.kind !== 'operator' ? 'not-found' : 'let-in';
}

/** What really happened on a call. */
export interface Happened {
  readonly outcome: 'done' | 'refused' | 'failed';
  /** How that was told, for words about it: `403 not-yours`. */
  readonly told: string;
  /** The last part of the problem's type, or null for a reply that is none. */
  readonly problem: string | null;
  /** Whether everything of the owner's stayed as it was. */
  readonly kept: boolean;
}

/** How a call should have gone. */
export interface Asked {
  readonly expected: Expectation;
  readonly role: Role;
  /** Whether the route may change what is the owner's at all: not so for reading. */
  readonly changes: boolean;
  /** Problems that a caller who was let in may meet beyond the doorway. */
  readonly fine: readonly string[];
}

const REFUSALS: ReadonlySet<string> = new Set<Refusal>([
  'not-signed-in',
  'wrong-principal',
  'moderators-only',
  'not-found',
  'not-yours',
  'stale',
]);

/** What was wrong about a call, in words, or null when it went as it should. */
export function faultOf(
  { expected: wanted, role, changes, fine }: Asked,
  { outcome, told, problem, kept }: Happened,
): string | null {
  const mayChange = changes && (role === 'owner' || role === 'moderator' || role === 'operator') && wanted === 'let-in';
  if (!kept && !mayChange) return `changed what is the owner’s, as ${role}`;
  if (outcome === 'failed' && !(problem !== null && fine.includes(problem)))
    return `answered ${told} instead of ${wanted}`;
  if (wanted === 'let-in') {
    const refused = (problem === null ? outcome === 'refused' : REFUSALS.has(problem)) && !fine.includes(problem ?? '');
    return refused ? `refused with ${told}, though the rule lets them in` : null;
  }
  if (problem === wanted) return null;
  return outcome === 'done' ? `let them in with ${told} instead of ${wanted}` : `answered ${told} instead of ${wanted}`;
}
