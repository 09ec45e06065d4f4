import { Type } from 'typebox';
import { Instant, orNull, ref, Uuid, type Of } from '../http/schemas.js';
import { PostSchema } from '../posts/schema.js';

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

export const FeedItemSchema = Type.Object(
  { ...PostSchema.properties, place: Type.Optional(ref(PlaceSchema)) },
  { $id: 'FeedItem', description: 'A post as it stands in a feed' },
);

export const FeedPageSchema = Type.Object(
  {
    items: Type.Array(ref(FeedItemSchema)),
    next: orNull(Type.String({ description: 'Cursor that reads on; null on the last page' })),
    first: Type.String({ description: 'Mark of where this scroll began; for `newer`' }),
  },
  { $id: 'FeedPage' },
);

export const NewerSchema = Type.Object(
  {
    new: Type.Integer({ description: 'Posts made since' }),
    risen: Type.Integer({ description: 'Earlier posts that rose above where the scroll began' }),
    more: Type.Boolean({ description: 'True when there are more than the 99 that are counted' }),
    reordered: Type.Boolean({ description: 'True when another weighting is in force since' }),
  },
  { $id: 'Newer' },
);

export const PlaceReplySchema = Type.Object(
  {
    postId: Uuid,
    inFeed: Type.Boolean(),
    reason: orNull(
      Type.Union([Type.Literal('not-followed'), Type.Literal('deleted')], { description: 'Why it is not in the feed' }),
    ),
    place: orNull(ref(PlaceSchema)),
    sentence: Type.String(),
  },
  { $id: 'PlaceReply' },
);

export type PlaceView = Of<typeof PlaceSchema>;
export type FeedItem = Of<typeof FeedItemSchema>;
export type NewerView = Of<typeof NewerSchema>;
export type PlaceReply = Of<typeof PlaceReplySchema>;
