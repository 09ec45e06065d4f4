import { NOTIFICATION_KINDS, type NotificationKind } from '@gather-lane/core';
import { Type } from 'typebox';
import { AuthorSchema } from '../../accounts/users/schema.js';
import { closed, orNull, ref, Uuid, type Of } from '../../ground/http/schemas.js';

/** A kind of notification. */
export const KindSchema = Type.Unsafe<NotificationKind>(
  Type.Union(
    NOTIFICATION_KINDS.map((kind) => Type.Literal(kind)),
    {
      description:
        '`followed` you, `commented` on your post, `replied` to your comment, `reacted` to your post or comment, `mentioned` you, or `watched`: commented on a post that you watch',
    },
  ),
);

/** Something that somebody is told: acts of one kind on one target, gathered while they are unseen. */
export const NotificationSchema = Type.Object(
  {
    id: Uuid,
    kind: KindSchema,
    unseen: Type.Boolean(),
    at: Type.String({
      format: 'date-time',
      description: 'When the latest act was; acts that are taken back do not lower it',
    }),
    actors: Type.Array(ref(AuthorSchema), { description: 'Who acted last, at most three, the latest first' }),
    others: Type.Integer({ minimum: 0, maximum: 99, description: 'How many people more' }),
    more: Type.Boolean({ description: 'Whether there are more than those' }),
    target: Type.Object({
      kind: Type.Union([Type.Literal('post'), Type.Literal('comment'), Type.Literal('user')]),
      id: Uuid,
    }),
    postId: orNull({ ...Uuid, description: 'The post that it is on' }),
    commentId: orNull({
      ...Uuid,
      description: 'The comment that it leads to: the latest one, or the one that was reacted to',
    }),
    text: Type.String({ description: 'The beginning of the text that it leads to' }),
    link: Type.String({ description: 'Address of what it leads to: a comment, a post, or who follows' }),
  },
  { $id: 'Notification' },
);
/** What that shows. */
export type NotificationView = Of<typeof NotificationSchema>;

/** How much is unseen. */
export const UnseenSchema = Type.Object(
  {
    unseen: Type.Integer({ minimum: 0, maximum: 99 }),
    more: Type.Boolean({ description: 'Whether there are more than those' }),
  },
  { $id: 'Unseen' },
);
/** What that shows. */
export type UnseenView = Of<typeof UnseenSchema>;

/** A page of what somebody is told. */
export const NotificationPageSchema = Type.Object(
  {
    items: Type.Array(ref(NotificationSchema)),
    next: orNull(Type.String({ description: 'Cursor of the next page' })),
    unseen: Type.Integer({ minimum: 0, maximum: 99, description: 'How many of these kinds are unseen' }),
    more: Type.Boolean({ description: 'Whether there are more unseen ones than that' }),
    through: Type.String({ description: 'What this list could show: give it back to mark all of that as seen' }),
  },
  { $id: 'NotificationPage' },
);
/** What that shows. */
export type NotificationPage = Of<typeof NotificationPageSchema>;

/** What marks notifications as seen. */
export const seenBody = closed({
  through: Type.String({ minLength: 1, description: 'The `through` of the list that was looked at' }),
});

const byKind = <T>(value: T) =>
  Object.fromEntries(NOTIFICATION_KINDS.map((kind) => [kind, value])) as Record<NotificationKind, T>;

/** Of which kinds somebody is told. */
export const ChoicesSchema = Type.Object(byKind(Type.Boolean()), { $id: 'NotificationChoices' });
/** What that shows. */
export type ChoicesView = Of<typeof ChoicesSchema>;

/** A change of that; null switches a kind on again. */
export const choicesPatch = closed(byKind(Type.Optional(orNull(Type.Boolean()))));
