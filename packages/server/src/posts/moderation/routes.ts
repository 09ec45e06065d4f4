import { Type } from 'typebox';
import { commentParam, CommentSchema } from '../comments/schema.js';
import type { App } from '../../ground/http/app-type.js';
import { userCaller } from '../../ground/http/caller.js';
import { ifMatchHeaders, ifMatchOf } from '../../ground/http/doorway.js';
import { linkNext } from '../../ground/http/pagination.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref } from '../../ground/http/schemas.js';
import { postParam, PostSchema } from '../posts/schema.js';
import type { Removals } from './service.js';
import type { Posts } from '../posts/service.js';
import type { Comments } from '../comments/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { deleteQuery, ModerationSchema, RemovedSchema, restoreBody, withholdBody } from './schema.js';

/** What these are made of. */
interface Needs {
  readonly removals: Removals;
  readonly posts: Posts;
  readonly comments: Comments;
  readonly address: PublicAddress;
}

const ModerationPage = pageOf(ModerationSchema, 'ModerationPage');
const RemovedList = Type.Object({ items: Type.Array(ref(RemovedSchema)), next: Type.Null() }, { $id: 'RemovedList' });
const BODY = ['invalid', 'too-large', 'wrong-media-type'] as const;

/** Routes that take posts and comments out of sight and bring them back. */
export function moderationRoutes(app: App, services: Needs): void {
  const { removals, address } = services;
  for (const schema of [RemovedSchema, RemovedList, ModerationSchema, ModerationPage]) app.addSchema(schema);
  postRemovals(app, services);
  commentRemovals(app, services);

  app.get(
    '/v1/me/removed',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'listRemoved',
        tags: ['posts'],
        summary: 'What of one’s own is out of sight, and whether it can be restored',
        response: replies({ 200: ref(RemovedList) }),
      },
    },
    async (request) => ({ items: await removals.ownRemoved(userCaller(request)), next: null }),
  );

  app.get(
    '/v1/moderations',
    {
      config: { doorway: 'moderator' },
      schema: {
        operationId: 'listModerations',
        tags: ['moderation'],
        summary: 'What moderators did and why, newest first',
        querystring: Type.Object(pageQuery),
        response: replies({ 200: ref(ModerationPage) }, ['bad-cursor']),
      },
    },
    async (request, reply) => {
      const page = await removals.list(request.query);
      linkNext(request, reply, address.base, page.next);
      return page;
    },
  );
}

function postRemovals(app: App, { removals, posts }: Needs): void {
  app.delete(
    '/v1/posts/:post',
    {
      config: { doorway: 'owner or moderator of post' },
      schema: {
        operationId: 'deletePost',
        headers: ifMatchHeaders,
        tags: ['posts'],
        summary: 'Delete one’s own post, or as a moderator somebody else’s; it can be restored for 30 days',
        params: postParam,
        querystring: deleteQuery,
        response: replies({ 204: Type.Null() }, ['invalid']),
      },
    },
    async (request, reply) => {
      const { reason } = request.query;
      await removals.delete('post', request.params.post, userCaller(request), { version: ifMatchOf(request), reason });
      return reply.code(204).send(null);
    },
  );

  app.post(
    '/v1/posts/:post/withhold',
    {
      config: { doorway: 'moderator' },
      schema: {
        operationId: 'withholdPost',
        tags: ['moderation'],
        summary: 'Take a post out of sight until a moderator restores it',
        params: postParam,
        body: withholdBody,
        response: replies({ 204: Type.Null() }, ['not-found', ...BODY]),
      },
    },
    async (request, reply) => {
      await removals.withhold('post', request.params.post, userCaller(request), request.body.reason);
      return reply.code(204).send(null);
    },
  );

  app.post(
    '/v1/posts/:post/restore',
    {
      config: { doorway: 'owner or moderator of removed post' },
      schema: {
        operationId: 'restorePost',
        tags: ['posts'],
        summary: 'Bring back one’s own deleted post, or as a moderator what moderators removed',
        params: postParam,
        body: restoreBody,
        response: replies({ 200: ref(PostSchema) }, ['not-restorable', ...BODY]),
      },
    },
    async (request) => {
      const caller = userCaller(request);
      await removals.restore('post', request.params.post, caller, request.body.reason);
      return posts.view(request.params.post, caller);
    },
  );
}

function commentRemovals(app: App, { removals, comments }: Needs): void {
  app.delete(
    '/v1/comments/:comment',
    {
      config: { doorway: 'owner or moderator of comment' },
      schema: {
        operationId: 'deleteComment',
        headers: ifMatchHeaders,
        tags: ['comments'],
        summary: 'Delete one’s own comment, or as a moderator somebody else’s; it can be restored for 30 days',
        params: commentParam,
        querystring: deleteQuery,
        response: replies({ 204: Type.Null() }, ['invalid']),
      },
    },
    async (request, reply) => {
      const asked = { version: ifMatchOf(request), reason: request.query.reason };
      await removals.delete('comment', request.params.comment, userCaller(request), asked);
      return reply.code(204).send(null);
    },
  );

  app.post(
    '/v1/comments/:comment/withhold',
    {
      config: { doorway: 'moderator' },
      schema: {
        operationId: 'withholdComment',
        tags: ['moderation'],
        summary: 'Take a comment out of sight until a moderator restores it',
        params: commentParam,
        body: withholdBody,
        response: replies({ 204: Type.Null() }, ['not-found', ...BODY]),
      },
    },
    async (request, reply) => {
      await removals.withhold('comment', request.params.comment, userCaller(request), request.body.reason);
      return reply.code(204).send(null);
    },
  );

  app.post(
    '/v1/comments/:comment/restore',
    {
      config: { doorway: 'owner or moderator of removed comment' },
      schema: {
        operationId: 'restoreComment',
        tags: ['comments'],
        summary: 'Bring back one’s own deleted comment, or as a moderator what moderators removed',
        params: commentParam,
        body: restoreBody,
        response: replies({ 200: ref(CommentSchema) }, ['not-restorable', ...BODY]),
      },
    },
    async (request) => {
      const caller = userCaller(request);
      await removals.restore('comment', request.params.comment, caller, request.body.reason);
      return comments.view(request.params.comment, caller);
    },
  );
}
