import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref } from '../../ground/http/schemas.js';
import { PostSchema } from '../posts/schema.js';
import { hashtagParam, HashtagSchema, LivelyHashtagSchema, LivelySchema } from './schema.js';
import type { Hashtags } from './service.js';

/** What these are made of. */
interface Needs {
  readonly hashtags: Hashtags;
  readonly lists: Lists;
}

const HashtagPage = pageOf(HashtagSchema, 'HashtagPage');
const HashtagPosts = pageOf(PostSchema, 'HashtagPosts');

/** Routes of the words that posts gather under. */
export function hashtagRoutes(app: App, { hashtags, lists }: Needs): void {
  for (const schema of [HashtagSchema, HashtagPage, HashtagPosts, LivelyHashtagSchema, LivelySchema])
    app.addSchema(schema);

  app.get(
    '/v1/hashtags',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listHashtags',
        tags: ['hashtags'],
        summary: 'Hashtags that begin so, most used first',
        headers: seenHeaders,
        querystring: Type.Object({
          ...pageQuery,
          q: Type.String({
            default: '',
            maxLength: 60,
            description: 'Its beginning, in any case and with any accents',
          }),
        }),
        response: replies({ 200: ref(HashtagPage) }, ['bad-cursor']),
      },
    },
    (request, reply) => lists.page(request, reply, (at) => hashtags.list(request.query.q, request.query, at)),
  );

  app.get(
    '/v1/hashtags/lively',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listLivelyHashtags',
        tags: ['hashtags'],
        summary: 'The liveliest hashtags of the last day or week',
        description:
          'A list that is made anew every minute; `madeAt` says when. The hashtag of this very name is `/v1/hashtags/%23lively`.',
        headers: seenHeaders,
        querystring: Type.Object({
          over: Type.Union([Type.Literal('day'), Type.Literal('week')], { default: 'day' }),
        }),
        response: replies({ 200: ref(LivelySchema) }),
      },
    },
    (request, reply) => lists.read(request, reply, (at) => hashtags.lively(request.query.over, at)),
  );

  app.get(
    '/v1/hashtags/:hashtag',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'getHashtag',
        tags: ['hashtags'],
        summary: 'One hashtag, whatever its case and accents',
        params: hashtagParam,
        response: replies({ 200: ref(HashtagSchema) }, ['not-found']),
      },
    },
    (request) => hashtags.view(request.params.hashtag, request.principal.caller),
  );

  app.get(
    '/v1/hashtags/:hashtag/posts',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'listHashtagPosts',
        tags: ['hashtags'],
        summary: 'The posts under a hashtag',
        params: hashtagParam,
        headers: seenHeaders,
        querystring: Type.Object({
          ...pageQuery,
          order: Type.Union([Type.Literal('recent'), Type.Literal('score')], { default: 'recent' }),
        }),
        response: replies({ 200: ref(HashtagPosts) }, ['not-found', 'bad-cursor', 'scroll-expired']),
      },
    },
    (request, reply) => {
      const { params, query, principal } = request;
      return lists.page(request, reply, (at) =>
        hashtags.posts(params.hashtag, query.order, query, principal.caller, at),
      );
    },
  );
}
