import { Type } from 'typebox';
import { Instant, orNull, ref, type Of } from '../../ground/http/schemas.js';

const properties = {
  hashtag: Type.String({
    description: 'The form that is compared: the same whatever case and accents it is written in',
  }),
  shown: Type.String({ description: 'As it was first written, without its sign' }),
  tallies: Type.Object({
    posts: Type.Integer({ description: 'Posts in sight' }),
    people: Type.Integer({ description: 'People who wrote them' }),
  }),
};

/** A word that posts gather under. */
export const HashtagSchema = Type.Object(properties, { $id: 'Hashtag' });
/** A word that posts gather under. */
export type HashtagView = Of<typeof HashtagSchema>;

/** One of the liveliest hashtags, with the numbers of the time that is looked at. */
export const LivelyHashtagSchema = Type.Object(
  {
    ...properties,
    lively: Type.Object({
      posts: Type.Integer({ description: 'Posts of that time' }),
      people: Type.Integer({ description: 'People who wrote them' }),
      laneTime: {
        ...Instant,
        description:
          'By which the list is sorted: where its latest post stands, later by one half-life for each doubling of people who are as recent',
      },
    }),
  },
  { $id: 'LivelyHashtag' },
);

/** The liveliest hashtags, and since when the list is. */
export const LivelySchema = Type.Object(
  {
    items: Type.Array(ref(LivelyHashtagSchema)),
    madeAt: orNull({ ...Instant, description: 'When the list was made; null before the first time' }),
  },
  { $id: 'LivelyHashtags' },
);
/** The liveliest hashtags, and since when the list is. */
export type LivelyView = Of<typeof LivelySchema>;

/** A hashtag as named in a path. */
export const hashtagParam = Type.Object({
  hashtag: Type.String({
    minLength: 1,
    maxLength: 400,
    description: 'In any case and with any accents; with its sign (`%23`) or without',
  }),
});
