import type { FastifyInstance, FastifyRequest } from 'fastify';
import type { Config } from '../config/schema.js';
import { isOwnCheck } from './own-check.js';
import { cookieOf } from './principal.js';
import { Problem } from './problem.js';
import type { PublicAddress } from './public-address.js';

const nameOf = (host: string): string => host.toLowerCase().replace(/:\d+$/, '');

/** Refuses a Host that is not a configured name: a page elsewhere cannot reach the service by rebinding a name of its own. */
export function useHostCheck(app: FastifyInstance, { hosts, publicAddress }: Config['server'], pass: string): void {
  const names = new Set(hosts.map(nameOf));
  if (publicAddress) names.add(new URL(publicAddress).hostname.toLowerCase());
  app.addHook('onRequest', (request, _reply, done) => {
    if (names.has(nameOf(request.headers.host ?? '')) || isOwnCheck(request, pass)) return done();
    done(
      new Problem(
        'wrong-host',
        `The service does not answer to the name "${request.headers.host ?? ''}": add it to server.hosts.`,
      ),
    );
  });
}

/** A state-changing call that a cookie authorises, or that would get one, must come from the console's own origin. */
export function useOriginCheck(app: FastifyInstance, address: PublicAddress): void {
  app.addHook('onRequest', (request, _reply, done) => {
    if (request.method === 'GET' || request.method === 'HEAD') return done();
    try {
      if (cookieOf(request)) requireOwnOrigin(request, address, true);
      else if (request.routeOptions.url?.startsWith('/v1/operator')) requireOwnOrigin(request, address, false);
    } catch (error) {
      return done(error as Problem);
    }
    done();
  });
}

/** @throws Problem `wrong-origin` for a call from a page of another origin, or from none where one has to be said */
export function requireOwnOrigin(request: FastifyRequest, address: PublicAddress, needed: boolean): void {
  const { origin } = request.headers;
  if (origin === undefined ? !needed : isOwn(origin, request.headers.host, address)) return;
  throw new Problem('wrong-origin', 'This call must come from the console itself.');
}

function isOwn(origin: string, host: string | undefined, address: PublicAddress): boolean {
  if (!URL.canParse(origin)) return false;
  const at = new URL(origin);
  // The Host was checked against the configured names before.
  return at.host === host || at.origin === new URL(address.base).origin;
}
