import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { userCaller } from '../../ground/http/caller.js';
import { etagOf, ifMatchHeaders, ifMatchOf } from '../../ground/http/doorway.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref } from '../../ground/http/schemas.js';
import { postParam } from '../posts/schema.js';
import { idempotencyHeaders, idempotentCallOf } from '../../ground/idempotency/header.js';
import type { Comments } from './service.js';
import type { IdempotentCalls } from '../../ground/idempotency/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { Config } from '../../ground/config/schema.js';
import {
  commentBody,
  CommentInContextSchema,
  commentParam,
  commentPatch,
  CommentSchema,
  ThreadSchema,
} from './schema.js';

/** What these are made of. */
interface Needs {
  readonly comments: Comments;
  readonly lists: Lists;
  readonly idempotent: IdempotentCalls;
  readonly address: PublicAddress;
  readonly config: Config;
}

const ThreadPage = pageOf(ThreadSchema, 'ThreadPage');

const sorted = (first: 'newest' | 'oldest') =>
  Type.Union([Type.Literal('newest'), Type.Literal('oldest'), Type.Literal('liveliest')], {
    default: first,
    description: '`liveliest`: by how many people other than the author replied or reacted',
  });
const firstReplies = Type.Integer({
  minimum: 0,
  maximum: 5,
  default: 0,
  description: 'How many of the first replies come with each comment',
});

/** Routes of the conversation below posts. */
export function commentRoutes(app: App, { comments, lists, idempotent, address, config }: Needs): void {
  for (const schema of [CommentSchema, ThreadSchema, ThreadPage, CommentInContextSchema]) app.addSchema(schema);

  app.get(
    '/v1/posts/:post/comments',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listComments',
        tags: ['comments'],
        summary: 'The conversation below a post',
        params: postParam,
        headers: seenHeaders,
        querystring: Type.Object({
          ...pageQuery,
          level: Type.Union([Type.Literal('all'), Type.Literal('top')], {
            default: 'all',
            description: '`all` comments whatever they answer, or those at the `top` alone',
          }),
          sort: sorted('newest'),
          replies: firstReplies,
        }),
        response: replies({ 200: ref(ThreadPage) }, ['not-found', 'bad-cursor']),
      },
    },
    (request, reply) => {
      const { params, query, principal } = request;
      return lists.page(request, reply, (at) =>
        comments.list(params.post, query.level, query, query, principal.caller, at),
      );
    },
  );

  app.post(
    '/v1/posts/:post/comments',
    {
      config: { doorway: 'signed-in' },
      schema: {
        'operationId': 'createComment',
        'x-headers': ['ETag', 'Location'],
        'tags': ['comments'],
        'summary': 'Comment on a post',
        'params': postParam,
        'headers': idempotencyHeaders,
        'body': commentBody(config.model),
        'response': replies({ 201: ref(CommentSchema) }, [
          'not-found',
          'other-content',
          'invalid',
          'taken',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const caller = userCaller(request);
      const { body, parentId, fields } = request.body;
      const comment = await idempotent.once(
        idempotentCallOf(request, JSON.stringify(request.body)),
        (taking) => comments.create(request.params.post, caller, body, parentId ?? null, fields, taking),
        (id) => comments.view(id, caller),
      );
      return reply
        .code(201)
        .header('location', address.to(`/v1/comments/${comment.id}`))
        .header('etag', etagOf(comment.version))
        .send(comment);
    },
  );

  app.get(
    '/v1/comments/:comment',
    {
      config: { doorway: 'anyone' },
      schema: {
        'operationId': 'getComment',
        'x-headers': ['ETag'],
        'tags': ['comments'],
        'summary': 'One comment, with what it stands under where that is asked for',
        'params': commentParam,
        'querystring': Type.Object({ context: Type.Boolean({ default: false }) }),
        'response': replies({ 200: ref(CommentInContextSchema) }, ['not-found']),
      },
    },
    async (request, reply) => {
      const { params, query, principal } = request;
      const comment = await comments.view(params.comment, principal.caller, query.context);
      return reply.header('etag', etagOf(comment.version)).send(comment);
    },
  );

  app.get(
    '/v1/comments/:comment/replies',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listReplies',
        tags: ['comments'],
        summary: 'The replies to a comment',
        params: commentParam,
        headers: seenHeaders,
        querystring: Type.Object({ ...pageQuery, sort: sorted('oldest'), replies: firstReplies }),
        response: replies({ 200: ref(ThreadPage) }, ['not-found', 'bad-cursor']),
      },
    },
    (request, reply) => {
      const { params, query, principal } = request;
      return lists.page(request, reply, (at) => comments.replies(params.comment, query, query, principal.caller, at));
    },
  );

  app.patch(
    '/v1/comments/:comment',
    {
      config: { doorway: 'owner of comment' },
      schema: {
        'operationId': 'editComment',
        'x-headers': ['ETag'],
        'headers': ifMatchHeaders,
        'tags': ['comments'],
        'summary': 'Edit one’s own comment',
        'params': commentParam,
        'body': commentPatch(config.model),
        'response': replies({ 200: ref(CommentSchema) }, ['invalid', 'taken', 'too-large', 'wrong-media-type']),
      },
    },
    async (request, reply) => {
      const caller = userCaller(request);
      await comments.edit(request.params.comment, caller, request.body, ifMatchOf(request));
      const comment = await comments.view(request.params.comment, caller);
      return reply.header('etag', etagOf(comment.version)).send(comment);
    },
  );
}
