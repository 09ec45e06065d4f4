import type { Caller } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import type { OperatorKey } from '../operator/key.js';
import type { Sessions } from '../sessions/service.js';
import type { WeightingInForce } from '../weighting/queries.js';
import { Problem } from './problem.js';

/** Name of the cookie that holds the operator's browser session. */
export const OPERATOR_COOKIE = 'gather_lane_operator';

/** Who is calling, as the verified credential says; nothing in a path, query or body adds to it. */
export interface Principal {
  readonly caller: Caller;
  /** The user's session; null for nobody and for the operator. */
  readonly session: SignedIn | null;
}

/** What one statement tells about a signed-in caller: the session check returns the weighting in force too. */
export interface SignedIn {
  readonly id: string;
  readonly userId: string;
  readonly handle: string;
  readonly weighting: WeightingInForce;
}

/** The caller of a request without a credential. */
export const NOBODY: Principal = { caller: { kind: 'nobody' }, session: null };
const OPERATOR: Principal = { caller: { kind: 'operator' }, session: null };

/**
 * Finds the one caller of a request.
 * @throws Problem when there are two credentials, or one that is not good
 */
export async function principalOf(request: FastifyRequest, sessions: Sessions, key: OperatorKey): Promise<Principal> {
  const header = request.headers.authorization;
  const cookie = request.routeOptions.url?.startsWith('/v1/operator') ? request.cookies[OPERATOR_COOKIE] : undefined;
  if (header !== undefined && cookie !== undefined)
    throw new Problem(
      'two-credentials',
      'The request has both a bearer token and an operator cookie: send one of them.',
    );
  if (cookie !== undefined) {
    if (!(await key.isBrowserSession(cookie)))
      throw new Problem('bad-token', 'The operator session has ended: give the operator key again.');
    return OPERATOR;
  }
  if (header === undefined) return NOBODY;
  const token = /^Bearer ([A-Za-z0-9._~+/-]+=*)$/i.exec(header)?.[1];
  if (!token) throw new Problem('bad-token', 'The Authorization header is not of the form `Bearer TOKEN`.');
  if (key.looksLikeOne(token)) {
    if (!key.matches(token)) throw new Problem('bad-token', 'This is not the operator key of this service.');
    return OPERATOR;
  }
  const session = await sessions.check(token);
  if (!session)
    throw new Problem('bad-token', 'The token has expired, or its session has ended: refresh it or sign in again.');
  return { caller: { kind: 'user', id: session.userId }, session };
}
