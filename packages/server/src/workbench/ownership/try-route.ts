import { expected, faultOf, ownedKind, ROLES, type Expectation, type Role } from '@gather-lane/core';
import type { Things, Trial } from '../../ground/capability/trial.js';
import type { Cast, Host, Member, Owner } from './cast.js';

/** A route of the API document. */
export interface Operation {
  readonly operationId: string;
  readonly method: string;
  readonly path: string;
  /** The rule that the running service declares. */
  readonly rule: string;
}

/** What one role met on one route. */
export interface Cell {
  readonly role: Role;
  readonly expected: Expectation;
  /** Null where it was not tried. */
  readonly status: number | null;
  readonly problem: string | null;
  readonly kept: boolean;
  /** What was wrong, or why it was not tried. */
  readonly says: string | null;
  readonly fault: boolean;
}

/** What happened on one route. */
export interface TriedRoute extends Operation {
  readonly cells: Cell[];
  /** What is wrong with the route as a whole. */
  readonly faults: string[];
}

/** Makes a call as a role: over HTTP, as anybody would. */
export type Call = (
  as: { role: Role; token: string | null },
  request: { method: string; path: string; body: unknown; headers?: Record<string, string> },
) => Promise<{ status: number; problem: string | null }>;

/** Who tries, beside the owner. */
export type Others = Readonly<Record<'another' | 'blocked' | 'moderator', Member>> & { readonly host: Host };

/**
 * The owner on whose things a route is tried: the same one as long as nothing came of it, and a new one after whatever may have changed
 * something.
 */
class Owners {
  readonly #make: () => Promise<Owner>;
  #kept: Owner | null = null;

  constructor(cast: Cast, { blocked, host }: Others) {
    this.#make = () => cast.owner(blocked, host);
  }

  async next(): Promise<Owner> {
    return (this.#kept ??= await this.#make());
  }

  /** They are not as they were, or may not be. */
  spent(): void {
    this.#kept = null;
  }
}

/** Everybody whom a route is tried with. */
interface People {
  readonly others: Others;
  readonly owners: Owners;
}

/** A route is tried on things of the owner's own, and where it can be on those that stand inside somebody else's. */
type Where = 'own' | 'elsewhere';

/** At once, and how often over: enough that a write without its condition shows. */
const RACERS = 6;
const RACES = 3;

/** What a path names beside the things of an owner. */
const NAMED: Record<string, (things: Things) => string> = {
  table: () => 'users',
  key: ({ user }) => user,
  hashtag: ({ hashtag }) => `t${hashtag!.replaceAll('-', '')}`,
  trace: () => '00000000-0000-7000-8000-000000000000',
  // None that there is: the check leaves the service as it was.
  weighting: () => '2147483647',
};

const removedOf = (thing: string): string => `removed${thing[0]!.toUpperCase()}${thing.slice(1)}`;

/** Tries one route as everybody, on things of an owner who was made for that. */
export async function tryRoute(
  operation: Operation,
  trial: Trial | undefined,
  cast: Cast,
  call: Call,
): Promise<TriedRoute> {
  if (!trial) return { ...operation, cells: [], faults: ['has no place in the ownership matrix, so nobody tried it'] };
  // Of its own, for some routes end every session of who calls them.
  const others = {
    another: await cast.member(),
    blocked: await cast.member(),
    moderator: await cast.member(true),
    host: await cast.host(),
  };
  const faults =
    operation.rule === trial.rule ? [] : [`declares "${operation.rule}", and the matrix has "${trial.rule}"`];
  const cells: Cell[] = [];
  const owners = new Owners(cast, others);
  for (const role of ROLES) cells.push(await tryEverywhere(role, operation, trial, cast, { others, owners }, call));
  if (trial.raced) faults.push(...(await race(operation, trial, cast, others, call)));
  return { ...operation, cells, faults };
}

/** What a role meets: on the owner's own things, or on those inside somebody else's where that is worse. */
async function tryEverywhere(
  role: Role,
  operation: Operation,
  trial: Trial,
  cast: Cast,
  people: People,
  call: Call,
): Promise<Cell> {
  const own = await tryAs(role, operation, trial, cast, people, call, 'own');
  const names = namesOf(operation.path);
  const isElsewhere = trial.inside || (names === 'comment' && !ownedKind(trial.rule)?.startsWith('removed'));
  if (own.fault || own.status === null || !isElsewhere) return own;
  const elsewhere = await tryAs(role, operation, trial, cast, people, call, 'elsewhere');
  return elsewhere.fault ? { ...elsewhere, says: `on a post of somebody else’s: ${elsewhere.says}` } : own;
}

async function tryAs(
  role: Role,
  operation: Operation,
  trial: Trial,
  cast: Cast,
  { others, owners }: People,
  call: Call,
  where: Where,
): Promise<Cell> {
  const inside = where === 'elsewhere' ? trial.inside : undefined;
  const names = inside ? 'comment' : trial.findsAnybody ? null : namesOf(operation.path);
  const wanted = expected(trial.rule, role, names);
  if (trial.spares && wanted === 'let-in')
    return {
      role,
      expected: wanted,
      status: null,
      problem: null,
      kept: true,
      says: `not tried: ${trial.spares}`,
      fault: false,
    };
  const owner = await owners.next();
  const member = role === 'owner' ? owner : role in others ? others[role as 'another' | 'blocked' | 'moderator'] : null;
  const as = { role, token: member && (await cast.tokenOf(member)) };
  const request = requestOf(operation, trial, owner.things, where);
  const before = await cast.snapshot(owner);
  let happened = await call(as, request);
  let kept = (await cast.snapshot(owner)) === before;
  let how = '';
  // Who is refused tries again, saying in every place that they are the owner.
  if (wanted !== 'let-in' && kept && happened.status >= 400 && operation.method !== 'GET') {
    for (const pretended of pretend(request, owner.things.user)) {
      const reply = await call(as, pretended);
      kept = (await cast.snapshot(owner)) === before;
      if (kept && reply.status >= 400) continue;
      [happened, how] = [reply, ' (it believes an id that the caller sends)'];
      break;
    }
  }
  const changes = operation.method !== 'GET';
  // Who was let in may have changed something else than what is the owner's.
  if (!kept || (changes && happened.status < 400)) owners.spent();
  // What is out of sight for them is named in the body: no such value.
  const hidden = inside && wanted === 'not-found' && happened.problem === 'invalid';
  const problem = hidden ? 'not-found' : happened.problem;
  const { status } = happened;
  const outcome = status < 400 ? 'done' : status < 500 ? 'refused' : 'failed';
  const told = [status, problem ?? []].flat().join(' ');
  const asked = { expected: wanted, role, changes, fine: trial.fine ?? [] };
  const fault = faultOf(asked, { outcome, told, problem, kept });
  return { role, expected: wanted, ...happened, kept, says: fault && fault + how, fault: fault !== null };
}

/** Of several edits of the same version at once, exactly one may be done: the write itself repeats the condition. */
async function race(operation: Operation, trial: Trial, cast: Cast, others: Others, call: Call): Promise<string[]> {
  for (let round = 0; round < RACES; round++) {
    const owner = await cast.owner(others.blocked, others.host);
    const as = { role: 'owner' as const, token: await cast.tokenOf(owner) };
    const request = { ...requestOf(operation, trial, owner.things, 'own'), headers: { 'if-match': '"1"' } };
    const replies = await Promise.all(Array.from({ length: RACERS }, () => call(as, request)));
    const done = replies.filter(({ status }) => status < 400).length;
    if (done !== 1)
      return [
        `did ${done} of ${RACERS} calls that came at once with the same If-Match, instead of one: the write does not repeat the condition`,
      ];
  }
  return [];
}

/** What of the owner's a path names, for the rules that are none of ownership. */
function namesOf(path: string): 'post' | 'comment' | 'user' | null {
  // A hashtag is as much in sight as the post that has it.
  const names = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => (name === 'hashtag' ? 'post' : name!));
  return (['post', 'comment', 'user'] as const).find((name) => names.includes(name)) ?? null;
}

function requestOf({ method, path, rule }: Operation, trial: Trial, owned: Things, where: Where) {
  const { inside } = trial;
  const elsewhere = { ...owned, comment: owned.commentElsewhere, ...(inside && { post: inside.post(owned) }) };
  const things: Things = where === 'own' ? owned : elsewhere;
  const body = where === 'elsewhere' && inside ? inside.body(owned) : trial.body?.(things);
  const removed = (ownedKind(trial.rule) ?? rule).startsWith('removed');
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => {
    const thing = name === 'id' ? /fields\/(\w+?)s\//.exec(path)![1]! : name;
    const named = NAMED[thing]?.(things) ?? things[removed ? removedOf(thing) : thing];
    if (named === undefined) throw new Error(`${path} names a ${thing}, which the ownership check does not make`);
    return named;
  });
  return { method, path: trial.query ? `${filled}?${trial.query}` : filled, body };
}

/**
 * The same call, saying wherever one could that it is the owner who calls: the query in a call of its own, since a route that
 * does not know a parameter looks no further.
 */
function pretend(request: ReturnType<typeof requestOf>, owner: string) {
  const claims = { userId: owner, authorId: owner, ownerId: owner, user: owner, caller: owner };
  const query = new URLSearchParams(claims).toString();
  const given = typeof request.body === 'object' && request.body !== null ? request.body : {};
  return [
    { ...request, body: { ...given, ...claims }, headers: { 'x-user-id': owner, 'x-forwarded-user': owner } },
    { ...request, path: `${request.path}${request.path.includes('?') ? '&' : '?'}${query}` },
  ];
}
