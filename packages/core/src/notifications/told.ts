/** Kinds of notification. Where one act could tell somebody in several ways, the first of these that holds is taken. */
export const NOTIFICATION_KINDS = ['mentioned', 'replied', 'commented', 'watched', 'reacted', 'followed'] as const;
/** What somebody is told. */
export type NotificationKind = (typeof NOTIFICATION_KINDS)[number];

/** Somebody who may be told of an act; who is told twice of one act is told the first of it alone. */
export interface Telling {
  /** The post or comment that was reacted to or says something; the user who is followed. */
  readonly thingId: string;
  readonly actorId: string;
  readonly userId: string;
  readonly kind: NotificationKind;
  /** What acts of the kind gather at. */
  readonly targetId: string;
  /** The post that it is on; null for a follow. */
  readonly postId: string | null;
}

/** A comment that was made, and those whom it concerns. */
export interface CommentMade {
  readonly id: string;
  readonly authorId: string;
  readonly postId: string;
  readonly postAuthorId: string;
  /** What it answers, and who wrote that. */
  readonly parent: { readonly id: string; readonly authorId: string } | null;
  /** Whom its text mentions. */
  readonly mentioned: readonly string[];
}

/** Whom a comment tells, the preferred kind first; those who watch the post hear of it later. */
export function toldOfComment({ id, authorId, postId, postAuthorId, parent, mentioned }: CommentMade): Telling[] {
  const act = { thingId: id, actorId: authorId, postId };
  return [
    ...mentioned.map((userId): Telling => ({ ...act, userId, kind: 'mentioned', targetId: id })),
    ...(parent ? [{ ...act, userId: parent.authorId, kind: 'replied', targetId: parent.id } satisfies Telling] : []),
    { ...act, userId: postAuthorId, kind: 'commented', targetId: postId },
  ];
}

/** Whom a text tells that it mentions them: those whom it did not mention before. */
export function toldOfMentions(
  text: { readonly id: string; readonly authorId: string; readonly postId: string },
  mentioned: readonly string[],
  before: readonly string[] = [],
): Telling[] {
  const act = { thingId: text.id, actorId: text.authorId, kind: 'mentioned', targetId: text.id } as const;
  return mentioned
    .filter((userId) => !before.includes(userId))
    .map((userId) => ({ ...act, userId, postId: text.postId }));
}
