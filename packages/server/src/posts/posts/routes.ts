import { SpanSchema } from '../reading/schema.js';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { userCaller } from '../../ground/http/caller.js';
import { etagOf, ifMatchHeaders, ifMatchOf } from '../../ground/http/doorway.js';
import { linkNext } from '../../ground/http/pagination.js';
import { replies } from '../../ground/http/replies.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { pageOf, pageQuery, ref, userParam } from '../../ground/http/schemas.js';
import { idempotencyHeaders, idempotentCallOf } from '../../ground/idempotency/header.js';
import type { Posts } from './service.js';
import type { Users } from '../../accounts/users/service.js';
import type { IdempotentCalls } from '../../ground/idempotency/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Config } from '../../ground/config/schema.js';
import { postBody, postParam, postPatch, PostSchema, VersionSchema } from './schema.js';

/** What these are made of. */
interface Needs {
  readonly posts: Posts;
  readonly users: Users;
  readonly lists: Lists;
  readonly idempotent: IdempotentCalls;
  readonly address: PublicAddress;
  readonly config: Config;
}

const PostPage = pageOf(PostSchema, 'PostPage');
const VersionPage = pageOf(VersionSchema, 'PostVersionPage');
const sortQuery = { sort: Type.Union([Type.Literal('newest'), Type.Literal('oldest')], { default: 'newest' }) };

/** Routes of posts. */
export function postRoutes(app: App, { posts, users, lists, idempotent, address, config }: Needs): void {
  for (const schema of [SpanSchema, PostSchema, PostPage, VersionSchema, VersionPage]) app.addSchema(schema);

  app.get(
    '/v1/posts',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listPosts',
        tags: ['posts'],
        summary: 'Everybody’s public posts',
        headers: seenHeaders,
        querystring: Type.Object({ ...pageQuery, ...sortQuery }),
        response: replies({ 200: ref(PostPage) }, ['bad-cursor']),
      },
    },
    (request, reply) =>
      lists.page(request, reply, (at) =>
        posts.list(request.query.sort, null, request.query, request.principal.caller, at),
      ),
  );

  app.get(
    '/v1/users/:user/posts',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listUserPosts',
        tags: ['posts'],
        summary: 'One user’s posts',
        params: userParam,
        headers: seenHeaders,
        querystring: Type.Object({ ...pageQuery, ...sortQuery }),
        response: replies({ 200: ref(PostPage) }, ['not-found', 'bad-cursor']),
      },
    },
    async (request, reply) => {
      const { params, query, principal } = request;
      const authorId = await users.require(params.user, principal.caller);
      return lists.page(request, reply, (at) => posts.list(query.sort, authorId, query, principal.caller, at));
    },
  );

  app.post(
    '/v1/posts',
    {
      config: { doorway: 'signed-in' },
      schema: {
        'operationId': 'createPost',
        'x-headers': ['ETag', 'Location'],
        'tags': ['posts'],
        'summary': 'Post something',
        'headers': idempotencyHeaders,
        'body': postBody(config.model),
        'response': replies({ 201: ref(PostSchema) }, [
          'invalid',
          'other-content',
          'taken',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const caller = userCaller(request);
      const post = await idempotent.once(
        idempotentCallOf(request, JSON.stringify(request.body)),
        (taking) => posts.create(caller.id, request.body, taking),
        (id) => posts.view(id, caller),
      );
      return reply.code(201).header('location', post.url).header('etag', etagOf(post.version)).send(post);
    },
  );

  app.get(
    '/v1/posts/:post',
    {
      config: { doorway: 'anyone' },
      schema: {
        'operationId': 'getPost',
        'x-headers': ['ETag'],
        'tags': ['posts'],
        'summary': 'One post',
        'params': postParam,
        'response': replies({ 200: ref(PostSchema) }, ['not-found']),
      },
    },
    async (request, reply) => {
      const post = await posts.view(request.params.post, request.principal.caller);
      return reply.header('etag', etagOf(post.version)).send(post);
    },
  );

  app.patch(
    '/v1/posts/:post',
    {
      config: { doorway: 'owner of post' },
      schema: {
        'operationId': 'editPost',
        'x-headers': ['ETag'],
        'headers': ifMatchHeaders,
        'tags': ['posts'],
        'summary': 'Edit one’s own post',
        'params': postParam,
        'body': postPatch(config.model),
        'response': replies({ 200: ref(PostSchema) }, ['invalid', 'taken', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      const caller = userCaller(request);
      await posts.edit(request.params.post, caller, request.body, ifMatchOf(request));
      const post = await posts.view(request.params.post, caller);
      return reply.header('etag', etagOf(post.version)).send(post);
    },
  );

  app.get(
    '/v1/posts/:post/versions',
    {
      config: { doorway: 'owner or moderator of post' },
      schema: {
        operationId: 'listPostVersions',
        tags: ['posts'],
        summary: 'What a post said before its edits, the latest first',
        params: postParam,
        querystring: Type.Object(pageQuery),
        response: replies({ 200: ref(VersionPage) }, ['bad-cursor']),
      },
    },
    async (request, reply) => {
      const page = await posts.versions(request.params.post, request.query, request.principal.caller);
      linkNext(request, reply, address.base, page.next);
      return page;
    },
  );
}
