import { sayInstant } from '@gather-lane/words';
import type { Thread } from '@gather-lane/client';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { Failure } from '../failure.js';
import { harmless, print, printJson, printTable, shortId } from '../output.js';
import { FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { collect, repeatable, uploadPicture } from '../pictures.js';
import { printPost } from '../posts-view.js';
import { userWith, type UserPart } from '../user-with.js';
import { list } from './arguments.js';

type WithFields = CommonOptions & { readonly field?: string[] };

/** Adds `post`, `edit`, `show`, `versions` and `comment`. */
export function postCommands(program: Command): void {
  program
    .command('post')
    .description('Post something')
    .argument('[text]', 'may be left out where there are pictures')
    .option('--picture <file[=what it shows]>', 'a picture; up to six, in their order', collect, [])
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(action(post, ({ id }) => print(`Posted ${shortId(id)}.`)));

  program
    .command('edit')
    .description('Edit a post of yours')
    .argument('<post>', 'id of the post, or its end')
    .argument('[text]', 'what it says from now on')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(action(edit, ({ id }) => print(`Edited ${shortId(id)}.`)));

  program
    .command('show')
    .description('Show a post and its conversation, or a user with what belongs to them as JSON')
    .argument('<post or user>', 'id of a post, or its end; or a @handle')
    .option('--all', 'all comments, not just the first page')
    .option(
      '--with <what>',
      'of a user: posts, follows, followers, with commas between',
      list('posts', 'follows', 'followers'),
    )
    .action(
      action(
        async (context: CommandContext<ShowOptions>, what: string) =>
          what.startsWith('@') ? await readUser(context, what) : await readPost(context, what),
        (shown) => ('user' in shown ? printJson(shown.user) : printPost(shown.post, shown.comments, shown.more)),
        (shown) => ('user' in shown ? shown.user : { ...shown.post, comments: shown.comments }),
      ),
    );

  program
    .command('versions')
    .description('What a post of yours said before its edits')
    .argument('<post>', 'id of the post, or its end')
    .action(
      action(
        async (context, id: string) => {
          const path = { post: context.whole(id) };
          return unwrap(await context.client.GET('/v1/posts/{post}/versions', { params: { path } })).items;
        },
        (items) => {
          if (items.length === 0) return print('It was never edited.');
          printTable(
            [
              { head: 'VERSION', align: 'right' },
              { head: 'SINCE' },
              { head: 'PICTURES', align: 'right' },
              { head: 'POST', width: 'rest' },
            ],
            items.map(({ version, createdAt, media, body }) => [
              String(version),
              sayInstant(createdAt),
              media.length > 0 ? String(media.length) : '',
              harmless(body),
            ]),
          );
        },
      ),
    );

  program
    .command('comment')
    .description('Comment on a post')
    .argument('<post>', 'id of the post, or its end')
    .argument('<text>')
    .option('--to <comment>', 'the comment that this one answers')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(action(comment, ({ id }) => print(`Commented ${shortId(id)}.`)));
}

async function post(context: CommandContext<WithFields & { picture: string[] }>, text: string | undefined) {
  const { client, options } = context;
  if (text === undefined && options.picture.length === 0) throw new Failure('Say something, or add --picture.', 2);
  const fields = await fieldValues(client, 'posts', options.field);
  const media = [];
  for (const picture of options.picture) media.push(await uploadPicture(client, picture));
  const body = {
    ...(text !== undefined && { body: text }),
    ...(media.length > 0 && { media }),
    ...(fields && { fields }),
  };
  const made = unwrap(await client.POST('/v1/posts', { body, headers: repeatable() }));
  context.shows([made.id]);
  return made;
}

async function edit(context: CommandContext<WithFields>, id: string, text: string | undefined) {
  const { client, options } = context;
  if (text === undefined && !options.field) throw new Failure('Say what changes: a text, or --field name=value.', 2);
  const fields = await fieldValues(client, 'posts', options.field);
  const path = { post: context.whole(id) };
  // What was read is what is edited: somebody else's edit in between is not overwritten.
  const { version } = unwrap(await client.GET('/v1/posts/{post}', { params: { path } }));
  return unwrap(
    await client.PATCH('/v1/posts/{post}', {
      params: { path },
      body: { ...(text !== undefined && { body: text }), ...(fields && { fields }) },
      headers: { 'if-match': `"${version}"` },
    }),
  );
}

type ShowOptions = CommonOptions & { readonly all?: boolean; readonly with?: UserPart[] };

async function readUser({ client, options }: CommandContext<ShowOptions>, handle: string) {
  return { user: await userWith(client, handle, options.with ?? []) };
}

async function readPost(context: CommandContext<ShowOptions>, id: string) {
  const { client, options } = context;
  if (options.with) throw new Failure('--with goes with a @handle.', 2);
  const path = { post: context.whole(id) };
  const found = unwrap(await client.GET('/v1/posts/{post}', { params: { path } }));
  const comments: Thread[] = [];
  let next: string | null = null;
  do {
    const query = { sort: 'oldest' as const, limit: 50, ...(next && { after: next }) };
    const page: { items: Thread[]; next: string | null } = unwrap(
      await client.GET('/v1/posts/{post}/comments', { params: { path, query } }),
    );
    comments.push(...page.items);
    next = page.next;
  } while (next && options.all);
  context.shows([found.id, ...comments.map((each) => each.id)]);
  return { post: found, comments, more: next !== null };
}

async function comment(context: CommandContext<WithFields & { to?: string }>, id: string, text: string) {
  const { client, options } = context;
  const fields = await fieldValues(client, 'comments', options.field);
  const parentId = options.to ? context.whole(options.to) : null;
  const made = unwrap(
    await client.POST('/v1/posts/{post}/comments', {
      params: { path: { post: context.whole(id) } },
      body: { body: text, parentId, ...(fields && { fields }) },
      headers: repeatable(),
    }),
  );
  context.shows([made.id]);
  return made;
}
