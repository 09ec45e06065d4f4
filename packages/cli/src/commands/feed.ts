import { sayInstant } from '@gather-lane/words';
import type { FeedItem, FeedPage, PlaceReply } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, userRef, type CommonOptions } from '../context.js';
import { plural, print, printTable, remark, shortId } from '../output.js';
import { printPosts } from '../posts-view.js';
import { choice, wholeNumber } from './arguments.js';

interface FeedOptions extends CommonOptions {
  order: 'recent' | 'score';
  place?: boolean;
  pages: number;
  limit: number;
  own: boolean;
}

/** Adds `feed` and `place`. */
export function feedCommands(program: Command): void {
  program
    .command('feed')
    .description('Read your following feed')
    .option('--order <order>', 'recent, or score: by lane time', choice('recent', 'score'), 'recent')
    .option('--place', 'say of each post why it stands there')
    .option('--pages <n>', 'how many pages to read', wholeNumber(1, 1000), 1)
    .option('--limit <n>', 'how many posts a page holds', wholeNumber(1, 100), 20)
    .option('--no-own', 'leave your own posts out')
    .action(action(readFeed, showFeed));

  program
    .command('place')
    .description('Say why a post stands where it stands in a feed, or why it is not there')
    .argument('<post>', 'id of the post, or its end')
    .option('--for <user>', 'in whose feed; needs the operator key')
    .option('--data <folder>', 'data folder of the service, for the operator key')
    .action(action(readPlace, showPlace));
}

async function readFeed(context: CommandContext<FeedOptions>) {
  const { client, options } = context;
  const { order, place = false, limit, own } = options;
  const items: FeedItem[] = [];
  let page: FeedPage | undefined;
  for (let n = 0; n < options.pages && (n === 0 || page?.next); n++) {
    const query = { order, place, limit, own, ...(page?.next && { after: page.next }) };
    page = unwrap(await client.GET('/v1/feeds/following', { params: { query } }));
    items.push(...page.items);
  }
  context.shows(items.map(({ id }) => id));
  return { items, next: page?.next ?? null, first: page?.first };
}

function showFeed(
  { items, next }: Awaited<ReturnType<typeof readFeed>>,
  { options: { order, pages } }: CommandContext<FeedOptions>,
): void {
  if (items.length === 0)
    return print(
      'Your feed is empty: it holds the posts of those whom you follow. See whom you might follow with `gather-lane near`, then `gather-lane follow @handle`.',
    );
  printPosts(items, { order });
  remark(
    colors.dim(
      next
        ? `${plural(items.length, 'post')}; there are more: --pages ${pages + 1}`
        : `${plural(items.length, 'post')}, the end of the feed.`,
    ),
  );
}

async function readPlace(
  context: CommandContext<CommonOptions & { for?: string; data?: string }>,
  text: string,
): Promise<PlaceReply> {
  const { client, options } = context;
  const post = context.whole(text);
  if (!options.for)
    return unwrap(await client.GET('/v1/feeds/following/places/{post}', { params: { path: { post } } }));
  const path = { user: userRef(options.for), post };
  return unwrap(await context.operator.GET('/v1/operator/places/{user}/{post}', { params: { path } }));
}

function showPlace({ sentence, place, above }: PlaceReply): void {
  print(sentence);
  if (!place) return;
  print();
  printTable(
    [{ head: 'KIND' }, { head: 'PEOPLE', align: 'right' }, { head: 'WEIGHT', align: 'right' }],
    place.parts.map(({ kind, people, weight }) => [kind, String(people), String(weight)]),
  );
  print();
  printTable(
    [{ head: 'LIFT', align: 'right' }, { head: 'HALF-LIFE' }, { head: 'POSTED' }, { head: 'STANDS AT' }],
    [
      [
        String(place.lift),
        `${place.halfLifeMs / 3_600_000} h`,
        `${sayInstant(place.createdAt)} UTC`,
        `${sayInstant(place.laneTime)} UTC`,
      ],
    ],
  );
  print();
  print(above ? `${above.sentence} (${shortId(above.postId)})` : 'It stands on top of the feed.');
}
