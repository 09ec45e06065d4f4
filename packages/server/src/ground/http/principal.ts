import type { Caller } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import type { Identities } from '../../accounts/identities/service.js';
import type { OperatorBrowserSessions } from '../../accounts/operator/browser-sessions.js';
import type { OperatorKey } from '../../accounts/operator/key.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import type { WeightingInForce } from '../../ranking/weighting/queries.js';
import { Problem } from './problem.js';

/** Name of the cookie that holds a user's browser session. */
export const SESSION_COOKIE = 'gather_lane_session';
/** Name of the cookie that holds the operator's browser session. */
export const OPERATOR_COOKIE = 'gather_lane_operator';

/** No script reads it, and no page elsewhere makes a browser send it. */
export const SESSION_COOKIE_OPTIONS = { path: '/v1', httpOnly: true, sameSite: 'strict' } as const;

/** Who is calling, as the verified credential says; nothing in a path, query or body adds to it. */
export interface Principal {
  readonly caller: Caller;
  /** The user's session; null for nobody and for the operator. */
  readonly session: SignedIn | null;
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
const OPERATOR: Principal = { caller: { kind: 'operator' }, session: null };

/** Who knows whether a credential is good. */
export interface PrincipalSources {
  readonly sessions: Sessions;
  readonly identities: Identities;
  readonly key: OperatorKey;
  readonly browserSessions: OperatorBrowserSessions;
}

/**
 * Finds the one caller of a request.
 * @throws Problem when there are two credentials, or one that is not good
 */
export async function principalOf(
  request: FastifyRequest,
  { sessions, identities, key, browserSessions }: PrincipalSources,
): Promise<Principal> {
  const header = request.headers.authorization;
  const cookie = cookieOf(request);
  if (header !== undefined && cookie)
    throw new Problem('two-credentials', 'The request has both a bearer token and a cookie: send one of them.');
  if (cookie)
    return cookie.name === OPERATOR_COOKIE
      ? byOperatorCookie(cookie.value, browserSessions)
      : byCookie(cookie.value, sessions);
  if (header === undefined) return NOBODY;
  const token = /^Bearer ([A-Za-z0-9._~+/-]+=*)$/i.exec(header)?.[1];
  if (!token) throw new Problem('bad-token', 'The Authorization header is not of the form `Bearer TOKEN`.');
  if (key.looksLikeOne(token)) {
    if (!key.matches(token)) throw new Problem('bad-token', 'This is not the operator key of this service.');
    return OPERATOR;
  }
  // Which verifier it is follows from the issuer alone; one that refuses a token hands it to no other.
  if (identities.isOutside(token)) return asUser(await identities.check(token));
  const session = await sessions.check(token);
  if (!session)
    throw new Problem('bad-token', 'The token has expired, or its session has ended: refresh it or sign in again.');
  return asUser(session);
}

/** The cookie that counts on a route: the operator's on those of the operator, the user's on all others. */
export function cookieOf(request: FastifyRequest): { name: string; value: string } | null {
  const name = request.routeOptions.url?.startsWith('/v1/operator') ? OPERATOR_COOKIE : SESSION_COOKIE;
  const value = request.cookies[name];
  return value === undefined ? null : { name, value };
}

async function byOperatorCookie(cookie: string, browserSessions: OperatorBrowserSessions): Promise<Principal> {
  if (!(await browserSessions.isOpen(cookie)))
    throw new Problem('bad-token', 'The operator session has ended: give the operator key again.');
  return OPERATOR;
}

async function byCookie(cookie: string, sessions: Sessions): Promise<Principal> {
  const session = await sessions.checkCookie(cookie);
  if (!session) throw new Problem('ended-cookie', 'The session of this browser has ended: sign in again.');
  return asUser(session);
}

const asUser = (session: SignedIn): Principal => ({
  caller: { kind: 'user', id: session.userId, moderator: session.moderator },
  session,
});
