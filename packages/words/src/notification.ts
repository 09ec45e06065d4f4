/** Something that somebody is told, as far as a sentence says it. */
export interface SaidNotification {
  readonly kind: 'mentioned' | 'replied' | 'commented' | 'watched' | 'reacted' | 'followed';
  readonly actors: readonly { readonly name: string }[];
  readonly others: number;
  readonly more: boolean;
  readonly target: { readonly kind: 'post' | 'comment' | 'user' };
  readonly postId: string | null;
  readonly commentId: string | null;
}

/** Who acted: `Bram`, `Bram and Wren`, `Bram, Wren, Odile and 11 others`. */
export function sayActors({ actors, others, more }: Pick<SaidNotification, 'actors' | 'others' | 'more'>): string {
  const names = actors.map(({ name }) => name);
  const rest = more ? `more than ${others} others` : others === 1 ? '1 other' : `${others} others`;
  const all = others > 0 ? [...names, rest] : names;
  if (all.length === 0) return 'Somebody';
  return all.length === 1 ? all[0]! : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`;
}

/** What they did, after who did it: `reacted to your post`. */
export function sayActs({ kind, target, commentId }: SaidNotification): string {
  switch (kind) {
    case 'followed':
      return 'followed you';
    case 'reacted':
      return `reacted to your ${target.kind}`;
    case 'replied':
      return 'replied to your comment';
    case 'commented':
      return 'commented on your post';
    case 'watched':
      return 'commented on a post that you watch';
    case 'mentioned':
      return `mentioned you in a ${commentId === null ? 'post' : 'comment'}`;
  }
}

/** The whole sentence. */
export const sayNotification = (notification: SaidNotification): string =>
  `${sayActors(notification)} ${sayActs(notification)}`;
