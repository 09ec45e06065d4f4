import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { OPERATOR_COOKIE } from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { closed, orNull, ref, Uuid } from '../../ground/http/schemas.js';
import { PlaceReplySchema } from '../../feed/schema.js';
import type { OperatorKey } from '../../accounts/operator/key.js';
import type { OperatorBrowserSessions } from '../../accounts/operator/browser-sessions.js';
import type { Cursors } from '../../ground/http/cursors.js';
import type { Users } from '../../accounts/users/service.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import type { DataSource } from 'typeorm';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Config } from '../../ground/config/schema.js';
import type { Places } from '../../feed/index.js';
import { weightingInForce } from '../../ranking/weighting/in-force.js';
import { cookieWish, sendSession, SessionSchema } from '../../accounts/sessions/reply.js';
import { readStats } from './stats.js';

/** What these are made of. */
interface Needs {
  readonly key: OperatorKey;
  readonly browserSessions: OperatorBrowserSessions;
  readonly cursors: Cursors;
  readonly users: Users;
  readonly sessions: Sessions;
  readonly database: DataSource;
  readonly demo: boolean;
  readonly address: PublicAddress;
  readonly config: Config;
  readonly places: Places;
}

const COOKIE = { path: '/v1/operator', httpOnly: true, sameSite: 'strict' } as const;

const StatsSchema = Type.Object(
  {
    counts: Type.Object({
      users: Type.Integer(),
      posts: Type.Integer(),
      follows: Type.Integer(),
      comments: Type.Integer(),
    }),
    weighting: Type.Object({
      id: Type.Integer(),
      halfLifeMs: Type.Integer(),
      base: Type.Number(),
      weights: Type.Record(Type.String(), Type.Number()),
    }),
    postsPerDay: Type.Array(Type.Object({ day: Type.String({ format: 'date' }), posts: Type.Integer() })),
    widelyFollowed: Type.Array(
      Type.Object({
        id: Uuid,
        handle: Type.String(),
        name: Type.String(),
        followers: Type.Integer(),
        posts: Type.Integer(),
      }),
    ),
    database: Type.Object({ version: Type.String() }),
    reading: orNull(
      Type.Object(
        { total: Type.Integer(), done: Type.Integer() },
        { description: 'How far texts from before a change of the rules are read anew; null when all are' },
      ),
    ),
  },
  { $id: 'Stats' },
);

/** Routes of whoever runs the service. */
export function operatorRoutes(app: App, services: Needs): void {
  const { key, browserSessions, cursors, users, sessions, database, demo, address, config } = services;
  app.addSchema(StatsSchema);

  app.post(
    '/v1/operator/browser-sessions',
    {
      config: { doorway: 'anyone', rateLimit: { max: 20, timeWindow: '1 minute' } },
      schema: {
        'operationId': 'openOperatorBrowser',
        'x-headers': ['Set-Cookie'],
        'tags': ['operator'],
        'summary': 'Exchange the operator key for a cookie that is limited to /v1/operator',
        'body': closed({ key: Type.String({ maxLength: 200 }) }),
        'response': replies({ 204: Type.Null() }, [
          'invalid',
          'wrong-origin',
          'too-often',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      if (!key.matches(request.body.key))
        throw new Problem('bad-token', 'This is not the operator key of this service.');
      const secure = address.base.startsWith('https:');
      return reply
        .setCookie(OPERATOR_COOKIE, await browserSessions.open(), { ...COOKIE, secure })
        .code(204)
        .send(null);
    },
  );

  app.delete(
    '/v1/operator/browser-sessions/current',
    {
      config: { doorway: 'operator' },
      schema: {
        'operationId': 'closeOperatorBrowser',
        'x-headers': ['Set-Cookie'],
        'tags': ['operator'],
        'summary': 'End the operator’s session in this browser',
        'response': replies({ 204: Type.Null() }, ['wrong-origin']),
      },
    },
    async (request, reply) => {
      const cookie = request.cookies[OPERATOR_COOKIE];
      if (cookie !== undefined) await browserSessions.close(cookie);
      return reply.clearCookie(OPERATOR_COOKIE, COOKIE).code(204).send(null);
    },
  );

  app.post(
    '/v1/operator/sessions',
    {
      config: { doorway: 'operator' },
      schema: {
        'operationId': 'actAsUser',
        'x-headers': ['Set-Cookie'],
        'tags': ['operator'],
        'summary': 'A short, marked session in which the operator acts as a user',
        'body': closed({
          user: Type.String({ minLength: 1, maxLength: 64, description: 'An id or @handle' }),
          cookie: Type.Optional(cookieWish),
        }),
        'response': replies({ 201: ref(SessionSchema) }, [
          'acting-off',
          'not-found',
          'invalid',
          'wrong-origin',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      if (!demo && !config.sessions.actingAs)
        throw new Problem(
          'acting-off',
          'The operator may act as a user only in the demo, or where sessions.actingAs is set.',
        );
      const userId = await users.requireAny(request.body.user);
      request.log.warn({ userId }, 'the operator acts as a user');
      return sendSession(services, request, reply, await sessions.actAs(userId, request.body.cookie));
    },
  );

  app.get(
    '/v1/operator/stats',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readStats',
        tags: ['operator'],
        summary: 'Counts, the weighting in force, and what was posted lately',
        response: replies({ 200: ref(StatsSchema) }),
      },
    },
    () => readStats(database),
  );

  app.get(
    '/v1/operator/places/:user/:post',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'getPlace',
        tags: ['operator'],
        summary: 'Why a post stands where it stands in any user’s feed, or why it is not there',
        params: Type.Object({
          user: Type.String({ minLength: 1, maxLength: 64, description: 'An id or @handle' }),
          post: Uuid,
        }),
        response: replies({ 200: ref(PlaceReplySchema) }, ['not-found']),
      },
    },
    async (request) => {
      const viewer = await users.requireAny(request.params.user);
      return services.places.of(viewer, request.params.post, await weightingInForce(database), true);
    },
  );

  app.post(
    '/v1/operator/signing-keys',
    {
      config: { lasting: 'keys are known to every process at once', doorway: 'operator' },
      schema: {
        operationId: 'rotateSigningKey',
        tags: ['operator'],
        summary: 'Sign access tokens and cursors with new keys from now on; nobody is signed out',
        body: closed({
          atOnce: Type.Boolean({
            default: false,
            description:
              'Refuse at once what older keys signed: every session refreshes its access token, every list is read from its beginning',
          }),
        }),
        response: replies({ 204: Type.Null() }, ['invalid', 'wrong-origin', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      await sessions.rotateKeys(request.body.atOnce);
      await cursors.rotate(request.body.atOnce);
      request.log.warn({ atOnce: request.body.atOnce }, 'the key of access tokens was rotated');
      return reply.code(204).send(null);
    },
  );
}
