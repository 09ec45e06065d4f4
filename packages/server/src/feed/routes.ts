import type { PlanStep } from '@gather-lane/core';
import { Type } from 'typebox';
import type { App } from '../ground/http/app-type.js';
import { signedIn } from '../ground/http/doorway.js';
import { readerFor } from '../ground/http/reader.js';
import { saySeen, seenHeaders, seenOf } from '../ground/standbys/seen.js';
import type { Standbys } from '../ground/standbys/standbys.js';
import { linkNext } from '../ground/http/pagination.js';
import { replies } from '../ground/http/replies.js';
import { pageQuery, ref, userParam } from '../ground/http/schemas.js';
import { postParam } from '../posts/posts/schema.js';
import type { Feed } from './service.js';
import type { Places } from './place.js';
import type { FeedInspection } from './inspection.js';
import type { Users } from '../accounts/users/service.js';
import type { DataSource } from 'typeorm';
import { weightingInForce } from '../ranking/weighting/in-force.js';
import type { PublicAddress } from '../ground/http/public-address.js';
import {
  FeedItemSchema,
  FeedPageSchema,
  InspectionSchema,
  NewerSchema,
  PlaceReplySchema,
  PlaceSchema,
  PlanStepSchema,
} from './schema.js';

/** What these are made of. */
interface Needs {
  readonly feed: Feed;
  readonly standbys: Standbys;
  readonly places: Places;
  readonly inspection: FeedInspection;
  readonly users: Users;
  readonly database: DataSource;
  readonly address: PublicAddress;
}

const feedQuery = {
  ...pageQuery,
  order: Type.Union([Type.Literal('recent'), Type.Literal('score')], { default: 'recent' }),
  own: Type.Boolean({ default: true, description: 'Whether the viewer’s own posts are in it' }),
};

/** Routes of the following feed. */
export function feedRoutes(app: App, { feed, standbys, places, inspection, users, database, address }: Needs): void {
  for (const schema of [
    PlaceSchema,
    FeedItemSchema,
    FeedPageSchema,
    NewerSchema,
    PlaceReplySchema,
    PlanStepSchema,
    InspectionSchema,
  ])
    app.addSchema(schema);

  app.get(
    '/v1/feeds/following',
    {
      config: { doorway: 'signed-in', confirms: true },
      schema: {
        operationId: 'readFollowingFeed',
        tags: ['feed'],
        summary: 'The following feed',
        description:
          'Posts of those whom the caller follows, and the caller’s own. Reading on with `next` shows no post twice, whatever others do meanwhile.',
        headers: seenHeaders,
        querystring: Type.Object({
          ...feedQuery,
          place: Type.Boolean({ default: false, description: 'Whether each item says why it stands there' }),
        }),
        response: replies({ 200: ref(FeedPageSchema) }, ['bad-cursor', 'scroll-expired']),
      },
    },
    async (request, reply) => {
      const page = await feed.page(readerFor(request, database), { ...request.query, seen: seenOf(request) });
      linkNext(request, reply, address.base, page.next);
      saySeen(reply, standbys, page.seen);
      return page;
    },
  );

  app.get(
    '/v1/feeds/following/newer',
    {
      config: { doorway: 'signed-in', confirms: true },
      schema: {
        operationId: 'countNewer',
        tags: ['feed'],
        summary: 'What has come above where a scroll began',
        headers: seenHeaders,
        querystring: Type.Object({
          than: Type.String({ minLength: 1, description: 'The `first` of the scroll’s page' }),
        }),
        response: replies({ 200: ref(NewerSchema) }, ['bad-cursor', 'scroll-expired']),
      },
    },
    (request) => feed.newer(readerFor(request, database), request.query.than, seenOf(request)),
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
        response: replies({ 200: ref(PlaceReplySchema) }, ['not-found']),
      },
    },
    (request) => {
      const caller = signedIn(request);
      return places.of(caller.userId, request.params.post, caller.weighting, false);
    },
  );

  app.get(
    '/v1/operator/feeds/:user/inspection',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'inspectFeed',
        tags: ['operator'],
        summary: 'How a page of a user’s feed is read: its statements with their times, and the plan',
        params: userParam,
        querystring: Type.Object(feedQuery),
        response: replies({ 200: ref(InspectionSchema) }, ['not-found', 'bad-cursor', 'scroll-expired']),
      },
    },
    async (request) => {
      const userId = await users.requireAny(request.params.user);
      const handle = await users.handleOf(userId);
      const viewer = { id: null, userId, handle, moderator: false, weighting: await weightingInForce(database) };
      const { page, ms, statements, plan } = await inspection.of(viewer, { ...request.query, place: false });
      return {
        ms,
        statements,
        plan: flatten(plan, 0),
        posts: page.items.map(({ id, author, createdAt, laneTime }) => ({
          id,
          handle: author.handle,
          createdAt,
          laneTime,
        })),
        next: page.next,
      };
    },
  );
}

/** A tree as a list, since JSON Schema and generated clients tell lists better than trees. */
const flatten = ({ steps, ...step }: PlanStep, depth: number): (Omit<PlanStep, 'steps'> & { depth: number })[] => [
  { ...step, depth },
  ...steps.flatMap((below) => flatten(below, depth + 1)),
];
