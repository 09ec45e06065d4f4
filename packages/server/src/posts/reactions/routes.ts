import { Type } from 'typebox';
import { commentParam } from '../comments/schema.js';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { refusalProblem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref } from '../../ground/http/schemas.js';
import { postParam } from '../posts/schema.js';
import type { Reactions } from './service.js';
import type { Posts } from '../posts/service.js';
import type { Config } from '../../ground/config/schema.js';
import type { Comments } from '../comments/service.js';
import { CommentReactedSchema, PostReactedSchema, reactionBody, ReactionSchema } from './schema.js';

/** What these are made of. */
interface Needs {
  readonly reactions: Reactions;
  readonly posts: Posts;
  readonly lists: Lists;
  readonly config: Config;
  readonly comments: Comments;
}

const ReactionPage = pageOf(ReactionSchema, 'ReactionPage');
const listQuery = Type.Object({
  ...pageQuery,
  kind: Type.Optional(Type.String({ maxLength: 24, description: 'Only those who reacted with this kind' })),
});
const MORE = ['not-found', 'invalid', 'too-large', 'wrong-media-type'] as const;

/** Routes of reactions. */
export function reactionRoutes(app: App, services: Needs): void {
  for (const schema of [PostReactedSchema, CommentReactedSchema, ReactionSchema, ReactionPage]) app.addSchema(schema);
  postReactions(app, services);
  commentReactions(app, services);
}

function postReactions(app: App, { reactions, posts, lists, config }: Needs): void {
  app.put(
    '/v1/posts/:post/reaction',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'reactToPost',
        tags: ['reactions'],
        summary: 'React to a post: one reaction for each user, another kind takes its place',
        params: postParam,
        body: reactionBody(config.reactions.map(({ name }) => name)),
        response: replies({ 200: ref(PostReactedSchema) }, [...MORE]),
      },
    },
    (request) => reactions.onPost(request.params.post, signedIn(request).userId, request.body.kind),
  );

  app.delete(
    '/v1/posts/:post/reaction',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'takeBackPostReaction',
        tags: ['reactions'],
        summary: 'Take one’s reaction to a post back',
        params: postParam,
        response: replies({ 200: ref(PostReactedSchema) }, ['not-found']),
      },
    },
    (request) => reactions.onPost(request.params.post, signedIn(request).userId, null),
  );

  app.get(
    '/v1/posts/:post/reactions',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listPostReactions',
        tags: ['reactions'],
        summary: 'Who reacted to a post, newest first',
        params: postParam,
        headers: seenHeaders,
        querystring: listQuery,
        response: replies({ 200: ref(ReactionPage) }, ['not-found', 'bad-cursor']),
      },
    },
    async (request, reply) => {
      const { params, query } = request;
      const { caller } = request.principal;
      if (!(await posts.owned(params.post, caller))) throw refusalProblem('not-found', 'post');
      return lists.page(request, reply, (at) => reactions.list('post', params.post, query.kind, query, caller, at));
    },
  );
}

function commentReactions(app: App, { reactions, comments, lists, config }: Needs): void {
  app.put(
    '/v1/comments/:comment/reaction',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'reactToComment',
        tags: ['reactions'],
        summary: 'React to a comment: shown and counted, but it lifts nothing',
        params: commentParam,
        body: reactionBody(config.reactions.map(({ name }) => name)),
        response: replies({ 200: ref(CommentReactedSchema) }, [...MORE]),
      },
    },
    (request) => reactions.onComment(request.params.comment, signedIn(request).userId, request.body.kind),
  );

  app.delete(
    '/v1/comments/:comment/reaction',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'takeBackCommentReaction',
        tags: ['reactions'],
        summary: 'Take one’s reaction to a comment back',
        params: commentParam,
        response: replies({ 200: ref(CommentReactedSchema) }, ['not-found']),
      },
    },
    (request) => reactions.onComment(request.params.comment, signedIn(request).userId, null),
  );

  app.get(
    '/v1/comments/:comment/reactions',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listCommentReactions',
        tags: ['reactions'],
        summary: 'Who reacted to a comment, newest first',
        params: commentParam,
        headers: seenHeaders,
        querystring: listQuery,
        response: replies({ 200: ref(ReactionPage) }, ['not-found', 'bad-cursor']),
      },
    },
    async (request, reply) => {
      const { params, query } = request;
      const { caller } = request.principal;
      if (!(await comments.owned(params.comment, caller))) throw refusalProblem('not-found', 'comment');
      return lists.page(request, reply, (at) =>
        reactions.list('comment', params.comment, query.kind, query, caller, at),
      );
    },
  );
}
