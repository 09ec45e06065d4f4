import type { FeedItem, FeedPage } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { connect, connectAsOperator, unwrap, userRef, wholeId, type CommonOptions } from '../context.js';
import { at, plural, print, printJson, printTable, remark, shortId } from '../output.js';
import { printPosts } from '../posts-view.js';
import { store } from '../store.js';
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
    .action(async (_: unknown, command: Command) => readFeed(command.optsWithGlobals()));

  program
    .command('place')
    .description('Say why a post stands where it stands in a feed, or why it is not there')
    .argument('<post>', 'id of the post, or its end')
    .option('--for <user>', 'in whose feed; needs the operator key')
    .option('--data <folder>', 'data folder of the service, for the operator key')
    .action(async (post: string, _: unknown, command: Command) => explain(post, command.optsWithGlobals()));
}

async function readFeed(options: FeedOptions): Promise<void> {
  const { client, address } = connect(options);
  const { order, place = false, limit, own } = options;
  const items: FeedItem[] = [];
  let page: FeedPage | undefined;
  for (let n = 0; n < options.pages && (n === 0 || page?.next); n++) {
    const query = { order, place, limit, own, ...(page?.next && { after: page.next }) };
    page = unwrap(await client.GET('/v1/feeds/following', { params: { query } }));
    items.push(...page.items);
  }
  store.show(
    address,
    items.map((post) => post.id),
  );
  const next = page?.next ?? null;
  if (options.json) return printJson({ items, next, first: page?.first });
  if (items.length === 0)
    return print(
      'Your feed is empty: it holds the posts of those whom you follow. See whom you might follow with `gather-lane near`, then `gather-lane follow @handle`.',
    );
  printPosts(items, { order });
  remark(
    colors.dim(
      next
        ? `${plural(items.length, 'post')}; there are more: --pages ${options.pages + 1}`
        : `${plural(items.length, 'post')}, the end of the feed.`,
    ),
  );
}

async function explain(post: string, options: CommonOptions & { for?: string; data?: string }): Promise<void> {
  const { client, address } = connect(options);
  const id = wholeId(post, address);
  const answer = options.for
    ? unwrap(
        await connectAsOperator(options).GET('/v1/operator/places/{user}/{post}', {
          params: { path: { user: userRef(options.for), post: id } },
        }),
      )
    : unwrap(await client.GET('/v1/feeds/following/places/{post}', { params: { path: { post: id } } }));
  if (options.json) return printJson(answer);
  print(answer.sentence);
  if (!answer.place) return;
  const { place } = answer;
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
        `${at(place.createdAt)} UTC`,
        `${at(place.laneTime)} UTC`,
      ],
    ],
  );
  print();
  print(answer.above ? `${answer.above.sentence} (${shortId(answer.above.postId)})` : 'It stands on top of the feed.');
}
