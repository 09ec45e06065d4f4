import { sayAgo, sayInstant } from '@gather-lane/words';
import type { Client, LivelyHashtags, Post } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { plural, print, printTable, remark } from '../output.js';
import { printPosts } from '../posts-view.js';
import { choice, wholeNumber } from './arguments.js';

interface HashtagOptions extends CommonOptions {
  readonly order: 'recent' | 'score';
  readonly over: 'day' | 'week';
  readonly pages: number;
  readonly limit: number;
}

type Shown = { readonly lively: LivelyHashtags } | Awaited<ReturnType<typeof readPosts>>;

/** Adds `hashtag`. */
export function hashtagCommands(program: Command): void {
  program
    .command('hashtag')
    .description('Show the posts under a hashtag, or the liveliest hashtags without one')
    .argument('[name]', 'in any case and with any accents, with its sign or without')
    .option('--order <order>', 'of its posts: recent, or score: by lane time', choice('recent', 'score'), 'recent')
    .option('--over <time>', 'the liveliest of a day or a week', choice('day', 'week'), 'day')
    .option('--pages <n>', 'how many pages of its posts to read', wholeNumber(1, 1000), 1)
    .option('--limit <n>', 'how many posts a page holds', wholeNumber(1, 100), 20)
    .action(
      action(
        async (context: CommandContext<HashtagOptions>, name: string | undefined): Promise<Shown> =>
          name === undefined ? { lively: await readLively(context) } : await readPosts(context, name),
        (shown, context) => ('lively' in shown ? showLively(shown.lively, context) : showPosts(shown, context)),
        (shown) => ('lively' in shown ? shown.lively : shown),
      ),
    );
}

const readLively = async ({ client, options }: { client: Client; options: HashtagOptions }) =>
  unwrap(await client.GET('/v1/hashtags/lively', { params: { query: { over: options.over } } }));

async function readPosts(context: CommandContext<HashtagOptions>, name: string) {
  const { client, options } = context;
  const path = { hashtag: name };
  const hashtag = unwrap(await client.GET('/v1/hashtags/{hashtag}', { params: { path } }));
  const items: Post[] = [];
  let next: string | null = null;
  for (let n = 0; n < options.pages && (n === 0 || next); n++) {
    const query = { order: options.order, limit: options.limit, ...(next && { after: next }) };
    const page: { items: Post[]; next: string | null } = unwrap(
      await client.GET('/v1/hashtags/{hashtag}/posts', { params: { path, query } }),
    );
    items.push(...page.items);
    next = page.next;
  }
  context.shows(items.map(({ id }) => id));
  return { hashtag, items, next };
}

function showPosts(
  { hashtag: { shown, tallies }, items, next }: Awaited<ReturnType<typeof readPosts>>,
  { options: { order, pages } }: CommandContext<HashtagOptions>,
): void {
  print(
    `${colors.bold(`#${shown}`)}  ${plural(tallies.posts, 'post')} by ${plural(tallies.people, 'person', 'people')}`,
  );
  print();
  printPosts(items, { order });
  if (next) remark(colors.dim(`${plural(items.length, 'post')}; there are more: --pages ${pages + 1}`));
}

function showLively({ items, madeAt }: LivelyHashtags, { options }: CommandContext<HashtagOptions>): void {
  if (madeAt === null)
    return print(`Nobody used a hashtag within a ${options.over}, or the list was not made yet: it is every minute.`);
  printTable(
    [
      { head: 'HASHTAG', width: 'rest' },
      { head: 'PEOPLE', align: 'right' },
      { head: 'POSTS', align: 'right' },
      { head: 'STANDS AT', width: 12 },
      { head: 'POSTS EVER', align: 'right' },
    ],
    items.map(({ shown, lively, tallies }) => [
      colors.cyan(`#${shown}`),
      String(lively.people),
      String(lively.posts),
      sayInstant(lively.laneTime),
      String(tallies.posts),
    ]),
  );
  remark(
    colors.dim(
      `The liveliest of the last ${options.over}, as of ${sayAgo(madeAt, Date.now())}: each person counts once, with their latest post.`,
    ),
  );
}
