import type { FastifyRequest } from 'fastify';
import type { Identities } from '../../accounts/identities/service.js';
import type { OperatorBrowserSessions } from '../../accounts/operator/browser-sessions.js';
import type { OperatorKey } from '../../accounts/operator/key.js';
import { endedSession } from '../../accounts/sessions/reader.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import {
  cookieOf,
  NOBODY,
  OPERATOR,
  OPERATOR_COOKIE,
  type Principal,
  type SignedIn,
} from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';

/** Who knows whether a credential is good. */
export interface CredentialCheckers {
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
  { sessions, identities, key, browserSessions }: CredentialCheckers,
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
  if (request.routeOptions.config.confirms) {
    const unconfirmed = sessions.readerFor(token, (session) => {
      request.principal = session ? asUser(session) : NOBODY;
    });
    if (unconfirmed)
      return { caller: { kind: 'user', id: unconfirmed.userId, moderator: false }, session: null, unconfirmed };
  }
  const session = await sessions.check(token);
  if (!session) throw endedSession();
  return asUser(session);
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
