import { decide, decideCaller, isDoorwayRule, ownedKind, type DoorwayRule, type Owned } from '@gather-lane/core';
import type { FastifyInstance, FastifyRequest, onSendHookHandler, RouteOptions } from 'fastify';
import type { DeniedAttempts } from '../../accounts/denied-attempts/service.js';
import { ifMatchOf, type FindOwned } from '../../ground/http/doorway.js';
import { NOBODY } from '../../ground/http/principal.js';
import { refusalProblem } from '../../ground/http/problem.js';
import { principalOf, type CredentialCheckers } from './callers.js';
import type { RateLimits } from './rate-limits.js';

/** Enforces the doorway rules of every route in one place, and refuses the start when one is missing. */
export function useDoorways(
  app: FastifyInstance,
  checkers: CredentialCheckers & { readonly denied: DeniedAttempts },
  finders: ReadonlyMap<string, FindOwned>,
  limits: RateLimits,
): void {
  const routes: RouteOptions[] = [];
  app.decorateRequest('principal');
  app.addHook('onRoute', (route) => {
    routes.push(route);
    if (!route.config?.confirms) return;
    // Of whom only the token is known, nothing is known but that they are a user.
    if (route.config.doorway !== 'signed-in')
      throw new Error(`${route.url} confirms, and lets in others than who is signed in.`);
    route.onSend = [refuseUnconfirmed, ...[route.onSend ?? []].flat()];
  });
  // Looked at once all are there: a plugin's own routes get their rule from the scope that registers it.
  app.addHook('onReady', () => {
    const without = routes.filter(({ config }) => !isDecidable(config?.doorway, finders));
    if (without.length === 0) return;
    const names = without.map((route) => `${[route.method].flat().join('/')} ${route.url}`);
    throw new Error(`The service does not start, because these routes declare no doorway rule: ${names.join(', ')}`);
  });

  // Before the body is even read: who is calling, how often, and may such a caller come in at all.
  app.addHook('onRequest', async (request, reply) => {
    request.principal = NOBODY;
    const rule = request.routeOptions.config.doorway;
    try {
      if (rule) request.principal = await principalOf(request, checkers);
    } finally {
      // Whoever is refused is counted too: one with a bad token, or on an unknown path, as nobody.
      const counting = limits.count(request, reply);
      if (counting) await counting;
    }
    if (!rule) return;
    const refusal = decideCaller(rule, request.principal.caller);
    if (refusal) throw refusalProblem(refusal, 'thing');
  });

  // Before the body is looked at: is the thing theirs.
  const requireOwner = async (request: FastifyRequest, rule: DoorwayRule, kind: string): Promise<void> => {
    const { method, routeOptions, principal, params } = request;
    // A removed post is named in the path as a post is.
    const name = kind.split(' ').at(-1)!;
    const reference = (params as Record<string, string | undefined>)[name];
    if (reference === undefined) throw new Error(`${routeOptions.url} is ruled "${rule}" but has no :${name}`);
    const { caller } = principal;
    const owned = await finders.get(kind)!(reference, caller);
    const refusal = decide(rule, caller, owned, ifMatchOf(request));
    if (!refusal) return;
    if (refusal === 'not-yours' && caller.kind === 'user')
      await checkers.denied.note(caller.id, `${method} ${routeOptions.url}`, kind, thingIdOf(kind, reference, owned!));
    throw refusalProblem(refusal, name);
  };
  app.addHook('preValidation', (request, _reply, done) => {
    const rule = request.routeOptions.config.doorway;
    const kind = rule && ownedKind(rule);
    if (!kind) return done();
    requireOwner(request, rule, kind).then(() => done(), done);
  });
}

/** A route that is to look at the session itself, and replied without, is wrong: nothing of its reply is sent. */
const refuseUnconfirmed: onSendHookHandler = (request, reply, payload, done) => {
  if (reply.statusCode < 400 && request.principal.unconfirmed)
    return done(new Error(`${request.routeOptions.url} replied without looking whether the session is alive`));
  done(null, payload);
};

/** Users are named by handle too; what is kept is the id. */
const thingIdOf = (kind: string, reference: string, owned: Owned): string =>
  kind === 'user' ? owned.ownerId! : reference.toLowerCase();

/** An ownership rule needs somebody who knows the owner. */
const isDecidable = (rule: unknown, finders: ReadonlyMap<string, FindOwned>): boolean => {
  if (!isDoorwayRule(rule)) return false;
  const kind = ownedKind(rule);
  return kind === null || finders.has(kind);
};
