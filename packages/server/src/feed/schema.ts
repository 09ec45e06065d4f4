import { Type } from 'typebox';
import { Instant, orNull, ref, Uuid, type Of } from '../ground/http/schemas.js';
import { PostSchema } from '../posts/posts/schema.js';

/** The account of why a post stands where it stands. */
export const PlaceSchema = Type.Object(
  {
    own: Type.Boolean({ description: 'True for the caller’s own post' }),
    follows: orNull(Type.Object({ handle: Type.String(), since: Instant })),
    createdAt: Instant,
    laneTime: Instant,
    lift: Type.Number({ description: 'By how many half-lives the engagement moved it' }),
    halfLifeMs: Type.Integer(),
    weighting: Type.Integer({ description: 'Version of the weighting in force' }),
    parts: Type.Array(Type.Object({ kind: Type.String(), people: Type.Integer(), weight: Type.Number() })),
    sentence: Type.String({ description: 'All of it in one sentence' }),
  },
  { $id: 'Place', description: 'Why a post stands where it stands in somebody’s feed' },
);

/** A post in a feed, with its place when that was asked for. */
export const FeedItemSchema = Type.Object(
  { ...PostSchema.properties, place: Type.Optional(ref(PlaceSchema)) },
  { $id: 'FeedItem', description: 'A post as it stands in a feed' },
);

/** A page of a feed. */
export const FeedPageSchema = Type.Object(
  {
    items: Type.Array(ref(FeedItemSchema)),
    next: orNull(Type.String({ description: 'Cursor that reads on; null on the last page' })),
    first: Type.String({ description: 'Mark of where this scroll began; for `newer`' }),
  },
  { $id: 'FeedPage' },
);

/** What has come since a scroll began. */
export const NewerSchema = Type.Object(
  {
    new: Type.Integer({ description: 'Posts made since' }),
    risen: Type.Integer({ description: 'Earlier posts that rose above where the scroll began' }),
    more: Type.Boolean({ description: 'True when there are more than the 99 that are counted' }),
    reordered: Type.Boolean({ description: 'True when another weighting is in force since' }),
  },
  { $id: 'Newer' },
);

/** A place, or why there is none. */
export const PlaceReplySchema = Type.Object(
  {
    postId: Uuid,
    inFeed: Type.Boolean(),
    reason: orNull(
      Type.String({
        enum: ['not-followed', 'deleted', 'withheld', 'hidden', 'blocked', 'muted'],
        description: 'Why it is not in the feed',
      }),
    ),
    remedy: orNull(Type.String({ description: 'What it would take to be in the feed' })),
    place: orNull(ref(PlaceSchema)),
    above: orNull(
      Type.Object(
        {
          postId: Uuid,
          handle: Type.String({ description: 'Of its author' }),
          laneTime: Instant,
          toPass: Type.Array(Type.Object({ kind: Type.String(), people: Type.Integer() }), {
            description: 'How many more people of one kind alone would carry the post past it, the fewest first',
          }),
          sentence: Type.String(),
        },
        { description: 'The post right above it; null at the top' },
      ),
    ),
    sentence: Type.String(),
  },
  { $id: 'PlaceReply' },
);

/** A step of a plan; a step's own steps are below it. */
export const PlanStepSchema = Type.Object(
  {
    does: Type.String({ description: 'As `Index Only Scan on posts_recent`' }),
    part: orNull(Type.String({ description: 'The named part of the statement that it makes' })),
    depth: Type.Integer({ description: 'How far below the first step it is' }),
    loops: Type.Integer({ description: 'How often it ran; 0 for one that was not needed' }),
    rows: Type.Integer({ description: 'Rows that it gave, over all loops' }),
    removed: Type.Integer({ description: 'Rows that it looked at and left out' }),
    ms: Type.Number({ description: 'Milliseconds over all loops, with what is below it' }),
    blocks: Type.Integer({ description: 'Blocks of 8 kB that it read, with what is below it' }),
  },
  { $id: 'PlanStep' },
);

/** How a page of somebody's feed was read. */
export const InspectionSchema = Type.Object(
  {
    ms: Type.Number({ description: 'What the service spent on the page' }),
    statements: Type.Array(
      Type.Object({ does: Type.String(), sql: Type.String(), ms: Type.Number(), rows: Type.Integer() }),
    ),
    plan: Type.Array(ref(PlanStepSchema), {
      description: 'The plan of the statement that finds the posts, each step before those below it',
    }),
    posts: Type.Array(Type.Object({ id: Uuid, handle: Type.String(), createdAt: Instant, laneTime: Instant }), {
      description: 'The posts of the page, in their order',
    }),
    next: orNull(Type.String()),
  },
  { $id: 'FeedInspection', description: 'How a page of somebody’s feed was read' },
);

/** A place as it is answered. */
export type PlaceView = Of<typeof PlaceSchema>;
/** A feed item as it is answered. */
export type FeedItem = Of<typeof FeedItemSchema>;
/** What has come since, as it is answered. */
export type NewerView = Of<typeof NewerSchema>;
/** A place or its absence, as it is answered. */
export type PlaceReply = Of<typeof PlaceReplySchema>;
