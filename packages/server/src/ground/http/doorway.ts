import {
  decide,
  decideCaller,
  isDoorwayRule,
  ownedKind,
  type Caller,
  type DoorwayRule,
  type Owned,
  type OwnedKind,
} from '@gather-lane/core';
import type { FastifyInstance, FastifyRequest, RouteOptions } from 'fastify';
import { Type } from 'typebox';
import type { Refusals } from '../denied-attempts/service.js';
import { NOBODY, principalOf, type Principal, type PrincipalSources, type SignedIn } from './principal.js';
import { Problem, refusalProblem } from './problem.js';
import type { RateLimits } from '../../service/http/rate-limits.js';

declare module 'fastify' {
  interface FastifyContextConfig {
    /** Who may call the route; the service does not start while one has none. */
    doorway?: DoorwayRule;
  }
  interface FastifyRequest {
    principal: Principal;
  }
}

/** Finds the owner of a thing by what the path says, or null when it is not there for this caller. */
export type FindOwned = (reference: string, caller: Caller) => Promise<Owned | null>;

/** How the owner of each kind of thing is found; the key is also the name of the path parameter. */
export type OwnedFinders = Record<OwnedKind, FindOwned>;

/** Enforces the doorway rules of every route in one place, and refuses the start when one is missing. */
export function useDoorways(
  app: FastifyInstance,
  services: PrincipalSources & { refusals: Refusals },
  finders: OwnedFinders,
  limits: RateLimits,
): void {
  const routes: RouteOptions[] = [];
  app.decorateRequest('principal');
  app.addHook('onRoute', (route) => void routes.push(route));
  // Looked at once all are there: a plugin's own routes get their rule from the scope that registers it.
  app.addHook('onReady', () => {
    const without = routes.filter((route) => !isDoorwayRule(route.config?.doorway));
    if (without.length === 0) return;
    const names = without.map((route) => `${[route.method].flat().join('/')} ${route.url}`);
    throw new Error(`The service does not start, because these routes declare no doorway rule: ${names.join(', ')}`);
  });

  // Before the body is even read: who is calling, how often, and may such a caller come in at all.
  app.addHook('onRequest', async (request, reply) => {
    request.principal = NOBODY;
    const rule = request.routeOptions.config.doorway;
    try {
      if (rule) request.principal = await principalOf(request, services);
    } finally {
      // Whoever is refused is counted too: one with a bad token, or on an unknown path, as nobody.
      await limits.count(request, reply);
    }
    if (!rule) return;
    const refusal = decideCaller(rule, request.principal.caller);
    if (refusal) throw refusalProblem(refusal, 'thing');
  });

  // Before the body is looked at: is the thing theirs.
  app.addHook('preValidation', async (request) => {
    const rule = request.routeOptions.config.doorway;
    const kind = rule && ownedKind(rule);
    if (!kind) return;
    const { method, routeOptions, principal, params } = request;
    // A removed post is named in the path as a post is.
    const name = kind.split(' ').at(-1)!;
    const reference = (params as Record<string, string | undefined>)[name];
    if (reference === undefined) throw new Error(`${routeOptions.url} is ruled "${rule}" but has no :${name}`);
    const { caller } = principal;
    const owned = await finders[kind](reference, caller);
    const refusal = decide(rule, caller, owned, ifMatchOf(request));
    if (!refusal) return;
    if (refusal === 'not-yours' && caller.kind === 'user')
      await services.refusals.note(
        caller.id,
        `${method} ${routeOptions.url}`,
        kind,
        thingIdOf(kind, reference, owned!),
      );
    throw refusalProblem(refusal, name);
  });
}

/** Users are named by handle too; what is kept is the id. */
const thingIdOf = (kind: OwnedKind, reference: string, owned: Owned): string =>
  kind === 'user' ? owned.ownerId! : reference.toLowerCase();

/** The version that `If-Match` names, or undefined when there is no such header or it takes any. */
export function ifMatchOf(request: FastifyRequest): number | undefined {
  const header = request.headers['if-match'];
  if (header === undefined || header === '*') return undefined;
  const version = /^"(\d{1,9})"$/.exec(header)?.[1];
  // Any other text is some version that is not the current one.
  return version === undefined ? -1 : Number(version);
}

/** The header by which a caller says which version they mean. */
export const ifMatchHeaders = Type.Object({
  'if-match': Type.Optional(
    Type.String({
      description: 'The `ETag` of what was read: if it has changed since, nothing is done and the answer is 412',
    }),
  ),
});

/** The `ETag` of a thing that counts its edits. */
export const etagOf = (version: number): string => `"${version}"`;

/** The signed-in session of a request whose rule asks for one. */
export function signedIn(request: FastifyRequest): SignedIn {
  if (!request.principal.session) throw new Problem('not-signed-in', 'This call needs an access token.');
  return request.principal.session;
}

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;

/**
 * An id from a path, in lower case.
 * @throws Problem `malformed` when it cannot be an id
 */
export function readId(text: string, name: string): string {
  if (!UUID.test(text))
    throw new Problem('malformed', `${name} must be an id (a UUID), but is "${text}".`, [
      { pointer: `/${name}`, detail: 'must be a UUID' },
    ]);
  return text.toLowerCase();
}
