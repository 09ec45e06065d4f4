import type { Caller, WeightingInForce } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import type { Reader } from './reader.js';

/** Name of the cookie that holds a user's browser session. */
export const SESSION_COOKIE = 'gather_lane_session';
/** Name of the cookie that holds the operator's browser session. */
export const OPERATOR_COOKIE = 'gather_lane_operator';

/** No script reads it, and no page elsewhere makes a browser send it. */
export const SESSION_COOKIE_OPTIONS = { path: '/v1', httpOnly: true, sameSite: 'strict' } as const;

/** Who is calling, as the verified credential says; nothing in a path, query or body adds to it. */
export interface Principal {
  readonly caller: Caller;
  /** The user's session; null for nobody and for the operator, and as long as it is yet to be confirmed. */
  readonly session: SignedIn | null;
  /** On a route that `confirms`: reads for who the token names, and looks whether the session is alive along with that. */
  readonly unconfirmed?: Reader;
}

/** What one statement tells about a signed-in caller: the session check returns the weighting in force too. */
export interface SignedIn {
  /** The session; null for a bearer token of an outside issuer, which has none here. */
  readonly id: string | null;
  readonly userId: string;
  readonly handle: string;
  readonly moderator: boolean;
  readonly weighting: WeightingInForce;
}

/** The caller of a request without a credential. */
export const NOBODY: Principal = { caller: { kind: 'nobody' }, session: null };
/** The caller with the operator key, or a browser's session of it. */
export const OPERATOR: Principal = { caller: { kind: 'operator' }, session: null };

/** The cookie that counts on a route: the operator's on those of the operator, the user's on all others. */
export function cookieOf(request: FastifyRequest): { name: string; value: string } | null {
  const name = request.routeOptions.url?.startsWith('/v1/operator') ? OPERATOR_COOKIE : SESSION_COOKIE;
  const value = request.cookies[name];
  return value === undefined ? null : { name, value };
}
