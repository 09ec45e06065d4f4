import type { components, operations } from './generated/api.js';

type Schemas = components['schemas'];

export type User = Schemas['User'];
export type Me = Schemas['Me'];
export type Author = Schemas['Author'];
export type Post = Schemas['Post'];
export type Comment = Schemas['Comment'];
export type Session = Schemas['Session'];
export type Place = Schemas['Place'];
export type PlaceReply = Schemas['PlaceReply'];
export type FeedItem = Schemas['FeedItem'];
export type FeedPage = Schemas['FeedPage'];
export type Newer = Schemas['Newer'];
export type Stats = Schemas['Stats'];
export type About = Schemas['About'];
export type Problem = Schemas['Problem'];

/** The two orders of a feed. */
export type FeedOrder = NonNullable<NonNullable<operations['readFollowingFeed']['parameters']['query']>['order']>;
