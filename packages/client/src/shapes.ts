import type { components, operations } from './generated/api.js';

type Schemas = components['schemas'];

/** A profile, as the caller sees it. */
export type User = Schemas['User'];
/** The caller’s own profile, with what only they see. */
export type Me = Schemas['Me'];
/** The author of a post or a comment, as it names them. */
export type Author = Schemas['Author'];
/** A post, as the caller sees it. */
export type Post = Schemas['Post'];
/** A comment, as the caller sees it. */
export type Comment = Schemas['Comment'];
/** A comment with the first of its replies, where they were asked for. */
export type Thread = Schemas['Thread'];
/** A comment with what it stands under. */
export type CommentInContext = Schemas['CommentInContext'];
/** What of a text is more than text. */
export type Span = Schemas['Span'];
/** A word that posts gather under. */
export type Hashtag = Schemas['Hashtag'];
/** The liveliest hashtags, and since when the list is. */
export type LivelyHashtags = Schemas['LivelyHashtags'];
/** What signing in answers. */
export type Session = Schemas['Session'];
/** Why a post stands where it stands in somebody’s feed. */
export type Place = Schemas['Place'];
/** A place, or why there is none. */
export type PlaceReply = Schemas['PlaceReply'];
/** A post as it stands in a feed. */
export type FeedItem = Schemas['FeedItem'];
/** A page of a feed. */
export type FeedPage = Schemas['FeedPage'];
/** What has come above where a scroll began. */
export type Newer = Schemas['Newer'];
/** Something that the caller is told. */
export type Notification = Schemas['Notification'];
/** A page of that, with what it could show. */
export type NotificationPage = Schemas['NotificationPage'];
/** How much of it is unseen. */
export type Unseen = Schemas['Unseen'];
/** Of which kinds the caller is told. */
export type NotificationChoices = Schemas['NotificationChoices'];
/** What is counted about a post. */
export type PostTallies = Post['tallies'];
/** Counts and the like, for the operator. */
export type Stats = Schemas['Stats'];
/** What a client has to know before anybody signs in. */
export type About = Schemas['About'];
/** A table of the model, as it is in the database. */
export type ModelTable = Schemas['ModelTable'];
/** Rows of a table, as text. */
export type ModelRows = Schemas['ModelRows'];
/** One row and what it is associated with. */
export type ModelRow = Schemas['ModelRow'];
/** What a migration of the model would do. */
export type ModelChanges = Schemas['ModelChanges'];
/** A migration of the model. */
export type ModelMigration = Schemas['ModelMigration'];
/** A field of the developer’s own. */
export type OwnField = Schemas['OwnField'];
/** RFC 9457 problem details. */
export type Problem = Schemas['Problem'];

/** The two orders of a feed. */
export type FeedOrder = NonNullable<NonNullable<operations['readFollowingFeed']['parameters']['query']>['order']>;
/** A picture of a post. */
export type Picture = Schemas['Picture'];
/** A post or comment of one's own that is out of sight. */
export type Removed = Schemas['Removed'];
/** What an ownership check found. */
export type OwnershipCheck = Schemas['OwnershipCheck'];
/** Attempts on things of somebody else's. */
export type RefusedAttempts = Schemas['RefusedAttempts'];
/** What came of reacting to a post. */
export type PostReacted = Schemas['PostReacted'];
/** What came of reacting to a comment. */
export type CommentReacted = Schemas['CommentReacted'];
/** Somebody's reaction. */
export type Reaction = Schemas['Reaction'];
/** Somebody to follow, and why. */
export type Near = Schemas['Near'];
/** A weighting with its history. */
export type Weighting = Schemas['Weighting'];
/** What a weighting would do. */
export type WeightingTrial = Schemas['WeightingTrial'];
/** How a page of somebody's feed was read. */
export type FeedInspection = Schemas['FeedInspection'];
/** What a call did: its statements, and the rows that it changed. */
export type Trace = Schemas['Trace'];
/** A row that a call inserted, changed or deleted. */
export type RowChange = Schemas['RowChange'];
/** A call in the list of those that were traced. */
export type TracedCall = Schemas['TracedCall'];
/** Something that the service does now and then by itself. */
export type Job = Schemas['Jobs']['items'][number];
/** What the service measures of itself. */
export type Measurement = Schemas['Measurements']['items'][number];
/** What calls did lately, as figures. */
export type Activity = Schemas['Activity'];
/** What each caller met. */
export type CallOutcomes = Schemas['CallOutcomes'];
/** What is wrong with something that was written. */
export type Proof = Schemas['Proof'];
