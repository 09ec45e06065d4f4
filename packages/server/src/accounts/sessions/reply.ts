import type { FastifyReply, FastifyRequest } from 'fastify';
import { Type } from 'typebox';
import { requireOwnOrigin } from '../../ground/http/origin.js';
import { SESSION_COOKIE, SESSION_COOKIE_OPTIONS } from '../../ground/http/principal.js';
import { orNull, ref } from '../../ground/http/schemas.js';
import { UserSchema } from '../users/schema.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Users } from '../users/service.js';
import type { Tokens } from './service.js';

/** What signing in answers. */
export const SessionSchema = Type.Object(
  {
    accessToken: orNull(
      Type.String({ description: 'Send it as `Authorization: Bearer …`; null when a cookie is set' }),
    ),
    refreshToken: orNull(
      Type.String({ description: 'Good once, for new tokens; null in a session of the operator, and with a cookie' }),
    ),
    expiresIn: Type.Integer({ description: 'Seconds until the access token, or the cookie, expires' }),
    tokenType: Type.Union([Type.Literal('Bearer'), Type.Literal('Cookie')]),
    user: ref(UserSchema),
  },
  { $id: 'Session' },
);

/** Asks for a cookie instead of tokens. */
export const cookieWish = Type.Boolean({
  default: false,
  description:
    'Keep the session in an HttpOnly cookie of this browser, and hand out no tokens: for pages of this origin',
});

/** Answers with a new session: its tokens, or its cookie. */
export async function sendSession(
  { users, address }: { readonly users: Users; readonly address: PublicAddress },
  request: FastifyRequest,
  reply: FastifyReply,
  tokens: Tokens,
) {
  const { userId, accessToken, refreshToken, expiresIn, cookie } = tokens;
  if (cookie !== null) {
    requireOwnOrigin(request, address, true);
    const secure = address.base.startsWith('https:');
    void reply.setCookie(SESSION_COOKIE, cookie, { ...SESSION_COOKIE_OPTIONS, secure, maxAge: expiresIn });
  }
  const user = await users.view(userId, { kind: 'user', id: userId });
  const tokenType = cookie === null ? ('Bearer' as const) : ('Cookie' as const);
  return reply.code(201).send({ accessToken, refreshToken, expiresIn, tokenType, user });
}
