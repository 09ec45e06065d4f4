import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { refusalProblem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref, Uuid } from '../../ground/http/schemas.js';
import { PostSchema, postParam } from '../posts/schema.js';
import type { Posts } from '../posts/service.js';
import type { Watches } from './service.js';

/** What these are made of. */
interface Needs {
  readonly watches: Watches;
  readonly posts: Posts;
  readonly lists: Lists;
}

const WatchSchema = Type.Object(
  { postId: Uuid, watching: Type.Boolean(), changed: Type.Boolean({ description: 'Whether it was otherwise before' }) },
  { $id: 'Watch' },
);
const WatchedPosts = pageOf(PostSchema, 'WatchedPosts');

/** Routes of watching posts. */
export function watchRoutes(app: App, { watches, posts, lists }: Needs): void {
  app.addSchema(WatchSchema);
  app.addSchema(WatchedPosts);

  for (const watching of [true, false])
    app.route({
      method: watching ? 'PUT' : 'DELETE',
      url: '/v1/posts/:post/watch',
      config: { doorway: 'signed-in' },
      schema: {
        operationId: watching ? 'watchPost' : 'unwatchPost',
        tags: ['notifications'],
        summary: watching
          ? 'Watch a post: one is told of each new comment on it, as whoever comments is'
          : 'Leave a post: later comments of one’s own do not bring one back',
        params: postParam,
        response: replies({ 200: ref(WatchSchema) }, ['not-found']),
      },
      handler: async (request) => {
        const { post: postId } = request.params;
        if (!(await posts.owned(postId, request.principal.caller))) throw refusalProblem('not-found', 'post');
        return { postId, watching, changed: await watches.set(postId, signedIn(request).userId, watching) };
      },
    });

  app.get(
    '/v1/me/watches',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'listWatches',
        tags: ['notifications'],
        summary: 'The posts that the caller watches, the latest first',
        headers: seenHeaders,
        querystring: Type.Object(pageQuery),
        response: replies({ 200: ref(WatchedPosts) }, ['bad-cursor']),
      },
    },
    (request, reply) => {
      const { userId } = signedIn(request);
      return lists.page(request, reply, (at) => watches.list(userId, request.query, request.principal.caller, at));
    },
  );
}
