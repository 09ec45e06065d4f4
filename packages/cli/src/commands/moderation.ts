import { sayInstant } from '@gather-lane/words';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { unwrap, userRef, type CommonOptions } from '../context.js';
import { Failure } from '../failure.js';
import { harmless, print, printTable, shortId } from '../output.js';

const BY = { owner: 'you', moderator: 'a moderator', withheld: 'withheld' } as const;

type WithReason = CommonOptions & { readonly reason?: string };

/** Adds `delete`, `removed`, `restore`, `withhold`, `moderations` and `moderators`. */
export function moderationCommands(program: Command): void {
  program
    .command('delete')
    .description('Delete a post or comment of yours; a moderator also others’. It can be restored for 30 days')
    .argument('<post or comment>', 'id, or its end')
    .option('--reason <text>', 'why, where it is not yours')
    .action(
      action(remove, ({ deleted }) =>
        print(`Deleted ${shortId(deleted)}. Bring it back with \`gather-lane restore ${shortId(deleted)}\`.`),
      ),
    );

  program
    .command('removed')
    .description('What of yours is out of sight, by whom, and whether you can restore it')
    .action(action(listRemoved, showRemoved));

  program
    .command('restore')
    .description('Bring back what you deleted, or as a moderator what moderators removed')
    .argument('<post or comment>', 'id, or its end')
    .option('--reason <text>', 'why, as a moderator')
    .action(action(restore, ({ id }) => print(`Restored ${shortId(id)}.`)));

  program
    .command('withhold')
    .description('As a moderator, take a post or comment out of sight until one restores it')
    .argument('<post or comment>', 'id, or its end')
    .requiredOption('--reason <text>', 'why')
    .action(action(withhold, ({ withheld }) => print(`Withheld ${shortId(withheld)}.`)));

  program
    .command('moderations')
    .description('As a moderator, see what moderators did and why')
    .action(action(listModerations, showModerations));

  moderatorCommands(program);
}

async function remove(context: CommandContext<WithReason>, id: string) {
  const { client, options } = context;
  const whole = context.whole(id);
  const query = options.reason === undefined ? {} : { reason: options.reason };
  const kind = await kindOf(context, whole);
  if (kind === 'post') unwrap(await client.DELETE('/v1/posts/{post}', { params: { path: { post: whole }, query } }));
  else unwrap(await client.DELETE('/v1/comments/{comment}', { params: { path: { comment: whole }, query } }));
  return { deleted: whole, kind };
}

async function listRemoved(context: CommandContext) {
  const { items } = unwrap(await context.client.GET('/v1/me/removed'));
  context.shows(items.map(({ id }) => id));
  return items;
}

function showRemoved(items: Awaited<ReturnType<typeof listRemoved>>): void {
  if (items.length === 0) return print('Nothing of yours is out of sight.');
  printTable(
    [
      { head: 'ID' },
      { head: '' },
      { head: 'BY' },
      { head: 'AT' },
      { head: 'RESTORABLE' },
      { head: 'TEXT', width: 'rest' },
    ],
    items.map(({ id, kind, by, removedAt, can, body, reason }) => [
      shortId(id),
      kind,
      BY[by],
      sayInstant(removedAt),
      can.restore ? 'yes' : 'no',
      harmless(body) + (reason ? `\nbecause: ${harmless(reason)}` : ''),
    ]),
  );
}

async function restore(context: CommandContext<WithReason>, id: string) {
  const { client, options } = context;
  const whole = context.whole(id);
  const body = options.reason === undefined ? {} : { reason: options.reason };
  const path = { post: whole, comment: whole };
  let restored = await client.POST('/v1/posts/{post}/restore', { params: { path }, body });
  if (restored.response.status === 404)
    restored = (await client.POST('/v1/comments/{comment}/restore', { params: { path }, body })) as typeof restored;
  return unwrap(restored);
}

async function withhold(context: CommandContext<CommonOptions & { reason: string }>, id: string) {
  const { client, options } = context;
  const whole = context.whole(id);
  const body = { reason: options.reason };
  if ((await kindOf(context, whole)) === 'post')
    unwrap(await client.POST('/v1/posts/{post}/withhold', { params: { path: { post: whole } }, body }));
  else unwrap(await client.POST('/v1/comments/{comment}/withhold', { params: { path: { comment: whole } }, body }));
  return { withheld: whole };
}

async function listModerations(context: CommandContext) {
  const { items } = unwrap(await context.client.GET('/v1/moderations'));
  context.shows(items.map(({ postId, commentId }) => commentId ?? postId));
  return items;
}

function showModerations(items: Awaited<ReturnType<typeof listModerations>>): void {
  if (items.length === 0) return print('No moderator has done anything yet.');
  printTable(
    [
      { head: 'ID' },
      { head: 'AT' },
      { head: 'BY' },
      { head: 'DID' },
      { head: 'WHY', width: 'rest' },
      { head: 'TEXT', width: 'rest' },
    ],
    items.map(({ postId, commentId, createdAt, moderator, action: did, reason, author, body }) => [
      shortId(commentId ?? postId),
      sayInstant(createdAt),
      moderator ? `@${moderator}` : '',
      did,
      harmless(reason),
      `${author ? `@${author}: ` : ''}${harmless(body)}`,
    ]),
  );
}

function moderatorCommands(program: Command): void {
  const moderators = program
    .command('moderators')
    .description('As the operator: list who moderates, or change it')
    .option('--data <folder>', 'data folder with the operator key')
    .action(
      action(
        async ({ operator }) => unwrap(await operator.GET('/v1/operator/moderators')).items,
        (items) => {
          if (items.length === 0) return print('Nobody moderates. Add somebody: gather-lane moderators add @handle');
          for (const { handle, name } of items) print(`@${handle}  ${harmless(name)}`);
        },
      ),
    );
  moderators
    .command('add')
    .description('Make a user a moderator')
    .argument('<user>', '@handle')
    .action(
      action(
        async ({ operator }, user: string) => {
          unwrap(await operator.PUT('/v1/operator/moderators/{user}', { params: { path: { user: userRef(user) } } }));
          return { add: userRef(user) };
        },
        ({ add }) => print(`${add} moderates from now on.`),
      ),
    );
  moderators
    .command('remove')
    .description('Make a moderator an ordinary user again')
    .argument('<user>', '@handle')
    .action(
      action(
        async ({ operator }, user: string) => {
          unwrap(
            await operator.DELETE('/v1/operator/moderators/{user}', { params: { path: { user: userRef(user) } } }),
          );
          return { remove: userRef(user) };
        },
        ({ remove: removed }) => print(`${removed} moderates no more.`),
      ),
    );
}

/** Whether an id is that of a post or of a comment, as far as the caller may see it. */
async function kindOf({ client }: CommandContext, id: string): Promise<'post' | 'comment'> {
  const post = await client.GET('/v1/posts/{post}', { params: { path: { post: id } } });
  if (post.response.ok) return 'post';
  const comment = await client.GET('/v1/comments/{comment}', { params: { path: { comment: id } } });
  if (!comment.response.ok) throw new Failure(`There is no post or comment ${id}.`);
  return 'comment';
}
