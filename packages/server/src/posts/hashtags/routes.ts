import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { linkNext } from '../../ground/http/pagination.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { replies } from '../../ground/http/replies.js';
import { pageOf, pageQuery, ref } from '../../ground/http/schemas.js';
import { PostSchema } from '../posts/schema.js';
import { hashtagParam, HashtagSchema, LivelyHashtagSchema, LivelySchema } from './schema.js';
import type { Hashtags } from './service.js';

/** What these are made of. */
interface Needs {
  readonly hashtags: Hashtags;
  readonly address: PublicAddress;
}

const HashtagPage = pageOf(HashtagSchema, 'HashtagPage');
const HashtagPosts = pageOf(PostSchema, 'HashtagPosts');

/** Routes of the words that posts gather under. */
export function hashtagRoutes(app: App, { hashtags, address }: Needs): void {
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
    async (request, reply) => {
      const page = await hashtags.list(request.query.q, request.query);
      linkNext(request, reply, address.base, page.next);
      return page;
    },
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
        querystring: Type.Object({
          over: Type.Union([Type.Literal('day'), Type.Literal('week')], { default: 'day' }),
        }),
        response: replies({ 200: ref(LivelySchema) }),
      },
    },
    (request) => hashtags.lively(request.query.over),
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
        querystring: Type.Object({
          ...pageQuery,
          order: Type.Union([Type.Literal('recent'), Type.Literal('score')], { default: 'recent' }),
        }),
        response: replies({ 200: ref(HashtagPosts) }, ['not-found', 'bad-cursor', 'scroll-expired']),
      },
    },
    async (request, reply) => {
      const { params, query, principal } = request;
      const page = await hashtags.posts(params.hashtag, query.order, query, principal.caller);
      linkNext(request, reply, address.base, page.next);
      return page;
    },
  );
}
