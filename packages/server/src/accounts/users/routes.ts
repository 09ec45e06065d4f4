import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { etagOf, ifMatchHeaders, ifMatchOf, signedIn } from '../../ground/http/doorway.js';
import { SESSION_COOKIE, SESSION_COOKIE_OPTIONS } from '../../ground/http/principal.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { replies } from '../../ground/http/replies.js';
import { aside } from '../../ground/traces/call-scope.js';
import { pageQuery, ref, userParam, Uuid } from '../../ground/http/schemas.js';
import type { NewAccounts } from './new-accounts.js';
import type { Users } from './service.js';
import type { AccountDeletion } from './deletion/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Config } from '../../ground/config/schema.js';
import { AuthorSchema, deletionBody, MeSchema, signUpBody, userPatch, UserSchema } from './schema.js';
import { UserPage } from './schema.js';

/** What these are made of. */
interface Needs {
  readonly users: Users;
  readonly newAccounts: NewAccounts;
  readonly lists: Lists;
  readonly deletion: AccountDeletion;
  readonly address: PublicAddress;
  readonly config: Config;
}

/** Routes of accounts and profiles. */
export function userRoutes(app: App, services: Needs): void {
  const { users, newAccounts, deletion, lists, address, config } = services;
  for (const schema of [AuthorSchema, UserSchema, MeSchema, UserPage]) app.addSchema(schema);

  app.post(
    '/v1/users',
    {
      config: { doorway: 'anyone', rateLimit: { max: config.rates.signUpsPerMinute, timeWindow: '1 minute' } },
      schema: {
        'operationId': 'signUp',
        'x-headers': ['Location'],
        'tags': ['accounts'],
        'summary': 'Sign up',
        'description': 'A taken handle or e-mail answers 409 naming the field; attempts are limited by address.',
        'body': signUpBody(config.model),
        'response': replies({ 201: ref(UserSchema) }, [
          'invalid',
          'taken',
          'too-often',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const id = await newAccounts.signUp(request.body);
      return reply
        .code(201)
        .header('location', address.to(`/v1/users/${id}`))
        .send(await users.view(id, { kind: 'user', id }));
    },
  );

  app.get(
    '/v1/users',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listUsers',
        tags: ['users'],
        summary: 'Everybody, or those whose handle or name begins so',
        headers: seenHeaders,
        querystring: Type.Object({
          ...pageQuery,
          q: Type.String({ default: '', maxLength: 60 }),
          sort: Type.Union([Type.Literal('handle'), Type.Literal('nearest'), Type.Literal('draw')], {
            default: 'handle',
            description:
              '`nearest`, for who is about to name somebody: whom the caller follows, then who is in the conversation, then by followers; `draw`: those whose posts drew something lately, who drew most first',
          }),
          post: Type.Optional({ ...Uuid, description: 'The post whose conversation it is, with `sort=nearest`' }),
        }),
        response: replies({ 200: ref(UserPage) }, ['bad-cursor']),
      },
    },
    (request, reply) => {
      const { query, principal } = request;
      return lists.page(request, reply, (at) =>
        query.sort === 'nearest'
          ? users.suggest(query.q, query.post ?? null, query, principal.caller, at)
          : query.sort === 'draw'
            ? users.whoDrew(query.q, query, principal.caller, at)
            : users.list(query.q, query, principal.caller, at),
      );
    },
  );

  app.get(
    '/v1/users/:user',
    {
      config: { doorway: 'anyone' },
      schema: {
        'operationId': 'getUser',
        'x-headers': ['ETag'],
        'tags': ['users'],
        'summary': 'One profile',
        'params': userParam,
        'response': replies({ 200: ref(UserSchema) }, ['not-found']),
      },
    },
    async (request, reply) => {
      const user = await users.view(
        await users.require(request.params.user, request.principal.caller),
        request.principal.caller,
      );
      return reply.header('etag', etagOf(user.version)).send(user);
    },
  );

  app.patch(
    '/v1/users/:user',
    {
      config: { doorway: 'owner of user' },
      schema: {
        'operationId': 'editUser',
        'x-headers': ['ETag'],
        'headers': ifMatchHeaders,
        'tags': ['users'],
        'summary': 'Edit one’s own profile',
        'params': userParam,
        'body': userPatch(config.model),
        'response': replies({ 200: ref(UserSchema) }, ['invalid', 'taken', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      const { userId } = signedIn(request);
      await users.edit(userId, request.body, ifMatchOf(request));
      const user = await users.view(userId, request.principal.caller);
      return reply.header('etag', etagOf(user.version)).send(user);
    },
  );

  app.delete(
    '/v1/users/:user',
    {
      config: { doorway: 'owner of user', rateLimit: { max: config.rates.signInsPerMinute, timeWindow: '1 minute' } },
      schema: {
        'operationId': 'deleteUser',
        'x-headers': ['Set-Cookie'],
        'tags': ['accounts'],
        'summary': 'Delete one’s account: at once out of sight, then erased',
        'params': userParam,
        'body': deletionBody,
        'response': replies({ 204: Type.Null() }, ['invalid', 'too-often', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      await deletion.delete(signedIn(request).userId, request.body, request.ip);
      // The rest needs no waiting for; should it be interrupted, the upkeep goes on with it.
      void aside(() => deletion.erase()).catch((error: unknown) => request.log.error(error));
      return reply.clearCookie(SESSION_COOKIE, SESSION_COOKIE_OPTIONS).code(204).send(null);
    },
  );

  app.get(
    '/v1/me',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'getMe',
        tags: ['accounts'],
        summary: 'The caller',
        response: replies({ 200: ref(MeSchema) }),
      },
    },
    async (request) => {
      const { id, userId } = signedIn(request);
      const [user, email] = [await users.view(userId, request.principal.caller), await users.emailOf(userId)];
      return { ...user, email, session: id === null ? null : { id } };
    },
  );
}
