import { Type } from 'typebox';
import { closed, Instant, orNull, ref, Uuid, type Of } from '../../ground/http/schemas.js';
import { AuthorSchema } from '../../accounts/users/schema.js';

/** Counts of reactions by kind. */
export const ReactionTallies = Type.Record(Type.String(), Type.Integer(), {
  description: 'How many reacted with each kind; a kind that nobody chose is left out',
});

/** The kinds for less the kinds against. */
export const Net = Type.Integer({
  description:
    'Reactions for less reactions against: a kind is for or against as its weight is in the weighting in force',
});

/** The caller's own reaction. */
export const OwnReaction = orNull(Type.String({ description: 'The kind of the caller’s own reaction' }));

const changed = Type.Boolean({ description: 'False when it was so already: nothing was counted' });

/** What came of reacting to a post: its new counts, so that a page updates in place. */
export const PostReactedSchema = Type.Object(
  {
    postId: Uuid,
    changed,
    reaction: OwnReaction,
    tallies: Type.Object({ comments: Type.Integer(), reactions: ReactionTallies, net: Net }),
    laneTime: Type.String({ format: 'date-time', description: 'Where the post stands now in a score-ordered feed' }),
  },
  { $id: 'PostReacted' },
);

/** What came of reacting to a comment. */
export const CommentReactedSchema = Type.Object(
  {
    commentId: Uuid,
    changed,
    reaction: OwnReaction,
    tallies: Type.Object({ reactions: ReactionTallies, net: Net }),
  },
  { $id: 'CommentReacted' },
);

/** Somebody's reaction, as lists of who reacted show it. */
export const ReactionSchema = Type.Object(
  { user: ref(AuthorSchema), kind: Type.String(), createdAt: Instant },
  { $id: 'Reaction' },
);

/** What is reacted with. */
export const reactionBody = (kinds: readonly string[]) =>
  closed({
    kind: Type.String({ 'enum': [...kinds], 'x-configured': true, 'description': 'One of the configured kinds' }),
  });

/** What came of reacting to a post, as it is answered. */
export type PostReacted = Of<typeof PostReactedSchema>;
/** What came of reacting to a comment, as it is answered. */
export type CommentReacted = Of<typeof CommentReactedSchema>;
/** Somebody's reaction, as it is answered. */
export type ReactionView = Of<typeof ReactionSchema>;
