import type { FastifyRequest } from 'fastify';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { requireOwnOrigin } from '../../ground/http/origin.js';
import { SESSION_COOKIE, SESSION_COOKIE_OPTIONS } from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { closed, Instant, ref, Uuid } from '../../ground/http/schemas.js';
import type { Users } from '../users/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Sessions } from './service.js';
import type { Config } from '../../ground/config/schema.js';
import { SessionSchema, cookieWish, sendSession } from './reply.js';

/** What these are made of. */
interface Needs {
  readonly users: Users;
  readonly address: PublicAddress;
  readonly sessions: Sessions;
  readonly config: Config;
}

/** A user's sessions. */
export const SessionList = Type.Object(
  {
    items: Type.Array(
      Type.Object({
        id: Uuid,
        current: Type.Boolean({ description: 'Whether this call was made with it' }),
        acting: Type.Boolean({ description: 'Whether the operator made it to act as the user' }),
        inBrowser: Type.Boolean({ description: 'Whether a browser keeps it in a cookie' }),
        createdAt: Instant,
        renewedAt: Instant,
        expiresAt: Instant,
      }),
    ),
    next: Type.Null(),
  },
  { $id: 'SessionList' },
);

/** Routes of signing in and out. */
export function sessionRoutes(app: App, services: Needs): void {
  const { sessions, config, address } = services;
  app.addSchema(SessionSchema);
  app.addSchema(SessionList);

  app.post(
    '/v1/sessions',
    {
      config: { doorway: 'anyone', rateLimit: { max: config.rates.signInsPerMinute, timeWindow: '1 minute' } },
      schema: {
        'operationId': 'signIn',
        'x-headers': ['Set-Cookie'],
        'tags': ['accounts'],
        'summary': 'Sign in by handle or e-mail',
        'body': closed({
          login: Type.String({ minLength: 1, maxLength: 254, description: 'Handle or e-mail' }),
          password: Type.String({ maxLength: 200 }),
          cookie: Type.Optional(cookieWish),
        }),
        'response': replies({ 201: ref(SessionSchema) }, [
          'wrong-sign-in',
          'wrong-origin',
          'invalid',
          'too-often',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const { login, password, cookie = false } = request.body;
      if (cookie) requireOwnOrigin(request, address, true);
      return sendSession(services, request, reply, await sessions.signIn(login, password, request.ip, cookie));
    },
  );

  app.post(
    '/v1/sessions/refresh',
    {
      config: { doorway: 'anyone', rateLimit: { max: config.rates.signInsPerMinute, timeWindow: '1 minute' } },
      schema: {
        'operationId': 'refreshSession',
        'x-headers': ['Set-Cookie'],
        'tags': ['accounts'],
        'summary': 'New tokens for a refresh token, which is then used up',
        'body': closed({ refreshToken: Type.String({ maxLength: 200 }) }),
        'response': replies({ 201: ref(SessionSchema) }, ['invalid', 'too-often', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => sendSession(services, request, reply, await sessions.refresh(request.body.refreshToken)),
  );

  app.delete(
    '/v1/sessions/current',
    {
      config: { doorway: 'signed-in' },
      schema: {
        'operationId': 'signOut',
        'x-headers': ['Set-Cookie'],
        'tags': ['accounts'],
        'summary': 'Sign out: the token is refused from then on',
        'response': replies({ 204: Type.Null() }, ['outside-token']),
      },
    },
    async (request, reply) => {
      await sessions.end(sessionId(request), 'signed-out');
      return reply.clearCookie(SESSION_COOKIE, SESSION_COOKIE_OPTIONS).code(204).send(null);
    },
  );

  app.get(
    '/v1/sessions',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'listSessions',
        tags: ['accounts'],
        summary: 'One’s own sessions, the one renewed last first',
        response: replies({ 200: ref(SessionList) }),
      },
    },
    async (request) => {
      const { id, userId } = signedIn(request);
      const rows = await sessions.list(userId);
      const items = rows.map((row) => ({
        id: row.id,
        current: row.id === id,
        acting: row.acting,
        inBrowser: row.by_cookie,
        createdAt: row.created_at.toISOString(),
        renewedAt: row.renewed_at.toISOString(),
        expiresAt: row.expires_at.toISOString(),
      }));
      return { items, next: null };
    },
  );

  app.delete(
    '/v1/sessions/:session',
    {
      config: { doorway: 'owner of session' },
      schema: {
        operationId: 'endSession',
        tags: ['accounts'],
        summary: 'End one of one’s own sessions',
        params: Type.Object({ session: Uuid }),
        response: replies({ 204: Type.Null() }),
      },
    },
    async (request, reply) => {
      await sessions.end(request.params.session, 'ended');
      return reply.code(204).send(null);
    },
  );

  app.delete(
    '/v1/sessions',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'signOutEverywhere',
        tags: ['accounts'],
        summary: 'Sign out everywhere: every session ends, this one too',
        response: replies({ 204: Type.Null() }),
      },
    },
    async (request, reply) => {
      await sessions.endAll(signedIn(request).userId);
      return reply.code(204).send(null);
    },
  );

  app.put(
    '/v1/me/password',
    {
      config: { doorway: 'signed-in', rateLimit: { max: config.rates.signInsPerMinute, timeWindow: '1 minute' } },
      schema: {
        operationId: 'changePassword',
        tags: ['accounts'],
        summary: 'Change one’s password; every other session ends',
        body: closed({
          current: Type.String({ maxLength: 200, description: 'The password so far' }),
          password: Type.String({ minLength: 10, maxLength: 200 }),
        }),
        response: replies({ 204: Type.Null() }, ['invalid', 'too-often', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      await sessions.changePassword(signedIn(request), request.body.current, request.body.password, request.ip);
      return reply.code(204).send(null);
    },
  );
}

/** The session that a call was made with. @throws Problem `outside-token` for one by a token of an outside issuer */
function sessionId(request: FastifyRequest): string {
  const { id } = signedIn(request);
  if (id === null)
    throw new Problem(
      'outside-token',
      'This token is of an outside issuer, which opens no session here: sign out there.',
    );
  return id;
}
