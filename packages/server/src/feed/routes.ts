import { Type } from 'typebox';
import type { App } from '../http/app-type.js';
import { signedIn } from '../http/doorway.js';
import { linkNext } from '../http/pagination.js';
import { replies } from '../http/replies.js';
import { pageQuery, ref } from '../http/schemas.js';
import { postParam } from '../posts/schema.js';
import type { Services } from '../services.js';
import { FeedItemSchema, FeedPageSchema, NewerSchema, PlaceReplySchema, PlaceSchema } from './schema.js';

/** Routes of the following feed. */
export function feedRoutes(app: App, { feed, address }: Services): void {
  for (const schema of [PlaceSchema, FeedItemSchema, FeedPageSchema, NewerSchema, PlaceReplySchema])
    app.addSchema(schema);

  app.get(
    '/v1/feeds/following',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'readFollowingFeed',
        tags: ['feed'],
        summary: 'The following feed',
        description:
          'Posts of those whom the caller follows, and the caller’s own. Reading on with `next` shows no post twice, whatever others do meanwhile.',
        querystring: Type.Object({
          ...pageQuery,
          order: Type.Union([Type.Literal('recent'), Type.Literal('score')], { default: 'recent' }),
          own: Type.Boolean({ default: true, description: 'Whether the caller’s own posts are in it' }),
          place: Type.Boolean({ default: false, description: 'Whether each item says why it stands there' }),
        }),
        response: replies('signed-in', { 200: ref(FeedPageSchema) }, ['bad-cursor', 'scroll-expired']),
      },
    },
    async (request, reply) => {
      const page = await feed.page(signedIn(request), request.query);
      linkNext(request, reply, address.base, page.next);
      return page;
    },
  );

  app.get(
    '/v1/feeds/following/newer',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'countNewer',
        tags: ['feed'],
        summary: 'What has come above where a scroll began',
        querystring: Type.Object({
          than: Type.String({ minLength: 1, description: 'The `first` of the scroll’s page' }),
        }),
        response: replies('signed-in', { 200: ref(NewerSchema) }, ['bad-cursor', 'scroll-expired']),
      },
    },
    (request) => feed.newer(signedIn(request), request.query.than),
  );

  app.get(
    '/v1/feeds/following/places/:post',
    {
      config: { doorway: 'signed-in' },
      schema: {
        operationId: 'getOwnPlace',
        tags: ['feed'],
        summary: 'Why a post stands where it stands in the caller’s feed, or why it is not there',
        params: postParam,
        response: replies('signed-in', { 200: ref(PlaceReplySchema) }, ['not-found']),
      },
    },
    (request) => {
      const { userId, weighting } = signedIn(request);
      return feed.place(userId, request.params.post, weighting, false);
    },
  );
}
