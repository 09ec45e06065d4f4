import type { Command } from 'commander';
import { connect, connectAsOperator, unwrap, userRef, wholeId, type CommonOptions } from '../context.js';
import { Failure } from '../failure.js';
import { at, harmless, print, printJson, printTable, shortId } from '../output.js';
import { store } from '../store.js';

const BY = { owner: 'you', moderator: 'a moderator', withheld: 'withheld' } as const;

/** Adds `delete`, `removed`, `restore`, `withhold`, `moderations` and `moderators`. */
export function moderationCommands(program: Command): void {
  program
    .command('delete')
    .description('Delete a post or comment of yours; a moderator also others’. It can be restored for 30 days')
    .argument('<post or comment>', 'id, or its end')
    .option('--reason <text>', 'why, where it is not yours')
    .action(async (id: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { reason?: string }>();
      const { client, address } = connect(options);
      const whole = wholeId(id, address);
      const query = options.reason === undefined ? {} : { reason: options.reason };
      const kind = await kindOf(options, whole);
      if (kind === 'post')
        unwrap(await client.DELETE('/v1/posts/{post}', { params: { path: { post: whole }, query } }));
      else unwrap(await client.DELETE('/v1/comments/{comment}', { params: { path: { comment: whole }, query } }));
      if (options.json) printJson({ deleted: whole, kind });
      else print(`Deleted ${shortId(whole)}. Bring it back with \`gather-lane restore ${shortId(whole)}\`.`);
    });

  program
    .command('removed')
    .description('What of yours is out of sight, by whom, and whether you can restore it')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client, address } = connect(options);
      const { items } = unwrap(await client.GET('/v1/me/removed'));
      store.show(
        address,
        items.map(({ id }) => id),
      );
      if (options.json) return printJson(items);
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
          at(removedAt),
          can.restore ? 'yes' : 'no',
          harmless(body) + (reason ? `\nbecause: ${harmless(reason)}` : ''),
        ]),
      );
    });

  program
    .command('restore')
    .description('Bring back what you deleted, or as a moderator what moderators removed')
    .argument('<post or comment>', 'id, or its end')
    .option('--reason <text>', 'why, as a moderator')
    .action(async (id: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { reason?: string }>();
      const { client, address } = connect(options);
      const whole = wholeId(id, address);
      const body = options.reason === undefined ? {} : { reason: options.reason };
      const path = { post: whole, comment: whole };
      let restored = await client.POST('/v1/posts/{post}/restore', { params: { path }, body });
      if (restored.response.status === 404)
        restored = (await client.POST('/v1/comments/{comment}/restore', { params: { path }, body })) as typeof restored;
      const thing = unwrap(restored);
      if (options.json) printJson(thing);
      else print(`Restored ${shortId(whole)}.`);
    });

  program
    .command('withhold')
    .description('As a moderator, take a post or comment out of sight until one restores it')
    .argument('<post or comment>', 'id, or its end')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { reason: string }>();
      const { client, address } = connect(options);
      const whole = wholeId(id, address);
      const body = { reason: options.reason };
      if ((await kindOf(options, whole)) === 'post')
        unwrap(await client.POST('/v1/posts/{post}/withhold', { params: { path: { post: whole } }, body }));
      else unwrap(await client.POST('/v1/comments/{comment}/withhold', { params: { path: { comment: whole } }, body }));
      if (options.json) printJson({ withheld: whole });
      else print(`Withheld ${shortId(whole)}.`);
    });

  program
    .command('moderations')
    .description('As a moderator, see what moderators did and why')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client, address } = connect(options);
      const { items } = unwrap(await client.GET('/v1/moderations'));
      store.show(
        address,
        items.map(({ postId, commentId }) => commentId ?? postId),
      );
      if (options.json) return printJson(items);
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
        items.map(({ postId, commentId, createdAt, moderator, action, reason, author, body }) => [
          shortId(commentId ?? postId),
          at(createdAt),
          moderator ? `@${moderator}` : '',
          action,
          harmless(reason),
          `${author ? `@${author}: ` : ''}${harmless(body)}`,
        ]),
      );
    });

  const moderators = program
    .command('moderators')
    .description('As the operator: list who moderates, or change it')
    .option('--data <folder>', 'data folder with the operator key')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { data?: string }>();
      const { items } = unwrap(await connectAsOperator(options).GET('/v1/operator/moderators'));
      if (options.json) return printJson(items);
      if (items.length === 0) return print('Nobody moderates. Add somebody: gather-lane moderators add @handle');
      for (const { handle, name } of items) print(`@${handle}  ${harmless(name)}`);
    });
  for (const change of ['add', 'remove'] as const)
    moderators
      .command(change)
      .description(change === 'add' ? 'Make a user a moderator' : 'Make a moderator an ordinary user again')
      .argument('<user>', '@handle')
      .action(async (user: string, _: unknown, command: Command) => {
        const options = command.optsWithGlobals<CommonOptions & { data?: string }>();
        const client = connectAsOperator(options);
        const params = { path: { user: userRef(user) } };
        if (change === 'add') unwrap(await client.PUT('/v1/operator/moderators/{user}', { params }));
        else unwrap(await client.DELETE('/v1/operator/moderators/{user}', { params }));
        if (options.json) printJson({ [change]: userRef(user) });
        else
          print(change === 'add' ? `${userRef(user)} moderates from now on.` : `${userRef(user)} moderates no more.`);
      });
}

/** Whether an id is that of a post or of a comment, as far as the caller may see it. */
async function kindOf(options: CommonOptions, id: string): Promise<'post' | 'comment'> {
  const { client } = connect(options);
  const post = await client.GET('/v1/posts/{post}', { params: { path: { post: id } } });
  if (post.response.ok) return 'post';
  const comment = await client.GET('/v1/comments/{comment}', { params: { path: { comment: id } } });
  if (!comment.response.ok) throw new Failure(`There is no post or comment ${id}.`);
  return 'comment';
}
