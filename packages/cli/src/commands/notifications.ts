import { sayAgo, sayNotification } from '@gather-lane/words';
import { followEvents, type Notification, type NotificationPage } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, work, type CommandContext } from '../action.js';
import { credentialsOf, unwrap, type CommonOptions } from '../context.js';
import { harmless, plural, print, printTable, remark, shortId } from '../output.js';
import { list, wholeNumber } from './arguments.js';

const KINDS = ['mentioned', 'replied', 'commented', 'watched', 'reacted', 'followed'] as const;
type Kind = (typeof KINDS)[number];

interface NotificationsOptions extends CommonOptions {
  readonly kinds?: Kind[];
  readonly pages: number;
  readonly limit: number;
  readonly markSeen?: boolean;
  readonly watch?: boolean;
  readonly off?: Kind[];
  readonly on?: Kind[];
}

/** Adds `notifications`, `watch` and `unwatch`. */
export function notificationCommands(program: Command): void {
  program
    .command('notifications')
    .description('What you are told: who reacted, answered, followed or mentioned you')
    .option('--kinds <kinds>', `only these, with commas between: ${KINDS.join(', ')}`, list(...KINDS))
    .option('--pages <n>', 'how many pages to read', wholeNumber(1, 1000), 1)
    .option('--limit <n>', 'how many a page holds', wholeNumber(1, 100), 20)
    .option('--mark-seen', 'mark all that the list could show as seen')
    .option('--off <kinds>', 'be told of these no more', list(...KINDS))
    .option('--on <kinds>', 'be told of these again', list(...KINDS))
    .option('--watch', 'go on telling what comes, until you stop it')
    .action(
      work(async (context: CommandContext<NotificationsOptions>) => {
        const { options } = context;
        await choose(context);
        if (options.watch) return follow(context);
        const read = await readPages(context);
        if (options.json) print(JSON.stringify(read, null, 2));
        else show(read, context);
        if (options.markSeen) {
          const { client } = context;
          const { unseen } = unwrap(await client.PUT('/v1/notifications/seen', { body: { through: read.through } }));
          remark(colors.dim(unseen === 0 ? 'All seen.' : `Seen; ${unseen} came since, or are of other kinds.`));
        }
      }),
    );

  for (const watching of [true, false])
    program
      .command(watching ? 'watch' : 'unwatch')
      .description(watching ? 'Be told of each new comment on a post' : 'Leave a post: be told of its comments no more')
      .argument('<post>', 'its id, or the end of it')
      .action(
        action(
          async (context, id: string) => {
            const params = { path: { post: context.whole(id) } };
            return unwrap(
              watching
                ? await context.client.PUT('/v1/posts/{post}/watch', { params })
                : await context.client.DELETE('/v1/posts/{post}/watch', { params }),
            );
          },
          ({ changed }) =>
            print(
              watching
                ? `You ${changed ? 'are' : 'were already'} told of new comments on it.`
                : changed
                  ? 'You are told of its comments no more; commenting again does not change that.'
                  : 'You did not watch it: nothing changed.',
            ),
        ),
      );
}

async function choose({ client, options: { off, on } }: CommandContext<NotificationsOptions>): Promise<void> {
  if (!off && !on) return;
  const named = (kinds: readonly Kind[] = [], value: boolean) => kinds.map((kind) => [kind, value] as const);
  const body = Object.fromEntries([...named(off, false), ...named(on, true)]);
  const choices = unwrap(await client.PATCH('/v1/me/notification-choices', { body }));
  const told = KINDS.filter((kind) => choices[kind]);
  remark(`You are told of: ${told.length > 0 ? told.join(', ') : 'nothing'}.`);
}

async function readPages(context: CommandContext<NotificationsOptions>): Promise<NotificationPage> {
  const { client, options } = context;
  let first: NotificationPage | undefined;
  const items: Notification[] = [];
  let next: string | null = null;
  for (let n = 0; n < options.pages && (n === 0 || next); n++) {
    const query = {
      limit: options.limit,
      ...(options.kinds && { kinds: options.kinds.join(',') }),
      ...(next && { after: next }),
    };
    const page: NotificationPage = unwrap(await client.GET('/v1/notifications', { params: { query } }));
    first ??= page;
    items.push(...page.items);
    next = page.next;
  }
  context.shows(items.flatMap(({ postId, commentId }) => [postId, commentId].filter((id) => id !== null)));
  return { ...first!, items, next };
}

function show(
  { items, unseen, more, next }: NotificationPage,
  { options }: CommandContext<NotificationsOptions>,
): void {
  if (items.length === 0) return print('Nothing yet: you are told here when somebody acts on what is yours.');
  print(`${colors.bold(`${unseen}${more ? ' or more' : ''} unseen`)}`);
  print();
  printTable(
    [
      { head: '', width: 1 },
      { head: 'WHAT', width: 'rest' },
      { head: 'WHEN', width: 12 },
      { head: 'LEADS TO', width: 8 },
    ],
    items.map((item) => [
      item.unseen ? colors.yellow('●') : '',
      [sayIn(item), item.text && colors.dim(firstLine(item.text))].filter(Boolean).join('\n'),
      sayAgo(item.at, Date.now()),
      leadsTo(item),
    ]),
  );
  if (next) remark(colors.dim(`${plural(items.length, 'notification')}; there are more: --pages ${options.pages + 1}`));
}

const sayIn = (item: Notification): string =>
  harmless(item.unseen ? colors.bold(sayNotification(item)) : sayNotification(item));
const leadsTo = ({ commentId, postId, actors }: Notification): string =>
  commentId !== null || postId !== null ? colors.cyan(shortId((commentId ?? postId)!)) : `@${actors[0]?.handle ?? ''}`;

const LINE = 90;
const firstLine = (text: string): string => {
  const line = harmless(text).split('\n')[0]!;
  return line.length > LINE ? `${line.slice(0, LINE - 1)}…` : line;
};

/** Tells what comes, a line for each, until it is interrupted. */
async function follow(context: CommandContext<NotificationsOptions>): Promise<void> {
  const { options, client } = context;
  unwrap(await client.GET('/v1/notifications/unseen'));
  const stop = new AbortController();
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => stop.abort());
  if (!options.json) remark(colors.dim('Waiting for what comes; stop it with Ctrl+C.'));
  for await (const each of followEvents({ ...credentialsOf(options), signal: stop.signal })) {
    if (options.json) print(JSON.stringify(each));
    else if (each.event === 'reset') remark('Some may have been missed: look with `gather-lane notifications`.');
    else if (each.event === 'notification' && (options.kinds ?? KINDS).includes(each.data.kind)) {
      const { data } = each;
      print(
        `${colors.yellow('●')} ${sayIn(data)}  ${leadsTo(data)}${data.text ? `  ${colors.dim(firstLine(data.text))}` : ''}`,
      );
    }
  }
}
