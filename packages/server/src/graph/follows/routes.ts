import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { replies } from '../../ground/http/replies.js';
import { Instant, pageQuery, ref, userParam } from '../../ground/http/schemas.js';
import type { Follows } from './service.js';
import type { NearFollows } from './near.js';
import type { Users } from '../../accounts/users/service.js';
import { UserPage } from '../../accounts/users/schema.js';
import { UserSchema } from '../../accounts/users/schema.js';

/** What these are made of. */
interface Needs {
  readonly follows: Follows;
  readonly near: NearFollows;
  readonly users: Users;
  readonly lists: Lists;
}

const FollowSchema = Type.Object(
  { user: ref(UserSchema), since: Instant, changed: Type.Boolean({ description: 'False when it was so already' }) },
  { $id: 'Follow' },
);

const NearSchema = Type.Object(
  {
    user: ref(UserSchema),
    followedBy: Type.Object(
      { handles: Type.Array(Type.String()), count: Type.Integer() },
      { description: 'Some of those whom the caller follows and who follow this user, and how many they are' },
    ),
    postsLately: Type.Integer({ description: 'Posts of the last two weeks, counted up to 50' }),
    sentence: Type.String({ description: 'Why, in words' }),
  },
  { $id: 'Near' },
);
const NearList = Type.Object({ items: Type.Array(ref(NearSchema)), next: Type.Null() }, { $id: 'NearList' });

/** Routes of follows. */
export function followRoutes(app: App, { follows, near, users, lists }: Needs): void {
  for (const schema of [FollowSchema, NearSchema, NearList]) app.addSchema(schema);

  app.get(
    '/v1/follows/near',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'listNearFollows',
        tags: ['follows'],
        summary: 'Whom one might follow: people followed by those whom one follows, and lively lately, with the reason',
        querystring: Type.Object({ limit: Type.Integer({ minimum: 1, maximum: 50, default: 10 }) }),
        response: replies({ 200: ref(NearList) }),
      },
    },
    async (request) => {
      const { userId, moderator } = signedIn(request);
      return { items: await near.of(userId, moderator, request.query.limit), next: null };
    },
  );

  app.put(
    '/v1/follows/:user',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'follow',
        tags: ['follows'],
        summary: 'Follow a user: 201 when new, 200 when it was so already',
        params: userParam,
        response: replies({ 200: ref(FollowSchema), 201: ref(FollowSchema) }, [
          'not-found',
          'self-follow',
          'blocked',
          'too-many-follows',
        ]),
      },
    },
    async (request, reply) => {
      const { userId } = signedIn(request);
      const followeeId = await users.require(request.params.user, request.principal.caller);
      const { since, changed } = await follows.follow(userId, followeeId);
      const user = await users.view(followeeId, request.principal.caller);
      return reply.code(changed ? 201 : 200).send({ user, since: since.toISOString(), changed });
    },
  );

  app.delete(
    '/v1/follows/:user',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'unfollow',
        tags: ['follows'],
        summary: 'Stop following a user',
        params: userParam,
        response: replies({ 204: Type.Null() }, ['not-found']),
      },
    },
    async (request, reply) => {
      await follows.unfollow(
        signedIn(request).userId,
        await users.require(request.params.user, request.principal.caller),
      );
      return reply.code(204).send(null);
    },
  );

  for (const side of ['followers', 'following'] as const)
    app.get(
      `/v1/users/:user/${side}`,
      {
        config: { doorway: 'anyone' },
        schema: {
          operationId: side === 'followers' ? 'listFollowers' : 'listFollowing',
          tags: ['follows'],
          summary: side === 'followers' ? 'Who follows a user, newest first' : 'Whom a user follows, newest first',
          params: userParam,
          headers: seenHeaders,
          querystring: Type.Object(pageQuery),
          response: replies({ 200: ref(UserPage) }, ['not-found', 'bad-cursor']),
        },
      },
      async (request, reply) => {
        const id = await users.require(request.params.user, request.principal.caller);
        return lists.page(request, reply, (at) => follows[side](id, request.query, request.principal.caller, at));
      },
    );
}
