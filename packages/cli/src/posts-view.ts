import { sayAgo, sayInstant } from '@gather-lane/words';
import type { FeedItem, Thread } from '@gather-lane/client';
import colors from 'picocolors';
import { painted } from './spans.js';
import { printThreads } from './thread-view.js';
import { fieldLines } from './own-fields.js';
import { harmless, plural, print, printTable, shortId, terminalWidth, type Cell } from './output.js';

/** Posts as a table; with their places, each is followed by the sentence that explains it. */
export function printPosts(posts: FeedItem[], options: { order?: 'recent' | 'score' } = {}): void {
  const scored = options.order === 'score';
  const columns = [
    { head: 'ID', width: 6 },
    { head: 'BY', width: 16 },
    { head: 'POSTED', width: 12 },
    ...(scored ? [{ head: 'STANDS AT', width: 12 }] : []),
    { head: 'NET', align: 'right' as const, width: 5 },
    { head: 'COMMENTS', align: 'right' as const, width: 8 },
    { head: 'POST', width: 'rest' as const },
  ];
  const rows = posts.flatMap((post): Cell[][] => {
    const moved = Date.parse(post.laneTime) - Date.parse(post.createdAt);
    const stands = moved === 0 ? colors.dim(sayInstant(post.laneTime)) : colors.yellow(sayInstant(post.laneTime));
    const edited = post.editedAt ? colors.dim(' (edited)') : '';
    const row: Cell[] = [
      colors.cyan(shortId(post.id)),
      `@${post.author.handle}`.slice(0, 16),
      sayInstant(post.createdAt),
      ...(scored ? [stands] : []),
      net(post),
      post.tallies.comments > 0 ? String(post.tallies.comments) : '',
      [painted(post), pictures(post)].filter(Boolean).join(' ') + edited,
    ];
    if (!post.place) return [row];
    const blank: Cell[] = columns.map(() => '');
    return [row, ['', { content: colors.dim(post.place.sentence), colSpan: columns.length - 1 }], blank];
  });
  printTable(columns, rows);
}

/** Reactions for less those against, marked where the reader is among them; empty where nobody reacted. */
const net = ({ tallies, reaction }: FeedItem): string =>
  Object.keys(tallies.reactions).length === 0 ? '' : `${tallies.net}${reaction === null ? '' : colors.green('·')}`;

/** `5 like, 1 dislike (net 4)` */
export function countsOf({ reactions, net }: { reactions: Record<string, number>; net: number }): string {
  const counts = Object.entries(reactions).map(([kind, n]) => `${n} ${kind}`);
  return counts.length === 0 ? 'No reactions' : `${counts.join(', ')} (net ${net})`;
}

/** What of a post a terminal cannot show. */
const pictures = ({ media }: FeedItem): string =>
  media.length > 0
    ? colors.dim(`[${plural(media.length, 'picture')}${media[0]!.alt && `: ${harmless(media[0]!.alt)}`}]`)
    : '';

/** One post whole, with the conversation below it. */
export function printPost(post: FeedItem, comments: Thread[], more: boolean): void {
  print(
    `${colors.bold(harmless(post.author.name))} @${post.author.handle} · ${sayInstant(post.createdAt)} UTC · ${sayAgo(post.createdAt, Date.now())}${post.editedAt ? ' · edited' : ''}`,
  );
  print();
  print(painted(post));
  print();
  for (const { url, width, height, alt } of post.media)
    print(`${colors.cyan('▣')} ${width}×${height} ${harmless(alt)} ${colors.dim(url)}`);
  for (const line of fieldLines(post.fields)) print(line);
  print(
    colors.dim(
      `${countsOf(post.tallies)}${post.reaction === null ? '' : `, yours is ${post.reaction}`} · ${plural(post.tallies.comments, 'comment')} · stands at ${sayInstant(post.laneTime)} UTC · ${post.id}`,
    ),
  );
  if (comments.length === 0) return;
  print(colors.dim('─'.repeat(Math.min(60, terminalWidth()))));
  printThreads(comments, Date.now());
  if (more) print(colors.dim('There are more comments: add --all.'));
}
