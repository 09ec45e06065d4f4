import type { Comment } from '@gather-lane/client';
import type { Command } from 'commander';
import { connect, unwrap, wholeId, type CommonOptions } from '../context.js';
import { Failure } from '../failure.js';
import { at, harmless, print, printJson, printTable, shortId } from '../output.js';
import { collect, repeatable, uploadPicture } from '../pictures.js';
import { FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { printPost } from '../posts-view.js';
import { store } from '../store.js';
import { userWith, type UserPart } from '../user-with.js';
import { list } from './arguments.js';

/** Adds `post`, `edit`, `show`, `versions` and `comment`. */
export function postCommands(program: Command): void {
  program
    .command('post')
    .description('Post something')
    .argument('[text]', 'may be left out where there are pictures')
    .option('--picture <file[=what it shows]>', 'a picture; up to six, in their order', collect, [])
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(async (text: string | undefined, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { field?: string[]; picture: string[] }>();
      if (text === undefined && options.picture.length === 0) throw new Failure('Say something, or add --picture.', 2);
      const { client, address } = connect(options);
      const fields = await fieldValues(client, 'posts', options.field);
      const media = [];
      for (const picture of options.picture) media.push(await uploadPicture(client, picture));
      const body = {
        ...(text !== undefined && { body: text }),
        ...(media.length > 0 && { media }),
        ...(fields && { fields }),
      };
      const post = unwrap(await client.POST('/v1/posts', { body, headers: repeatable() }));
      store.show(address, [post.id]);
      if (options.json) printJson(post);
      else print(`Posted ${shortId(post.id)}.`);
    });

  program
    .command('edit')
    .description('Edit a post of yours')
    .argument('<post>', 'id of the post, or its end')
    .argument('[text]', 'what it says from now on')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(async (id: string, text: string | undefined, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { field?: string[] }>();
      if (text === undefined && !options.field)
        throw new Failure('Say what changes: a text, or --field name=value.', 2);
      const { client, address } = connect(options);
      const fields = await fieldValues(client, 'posts', options.field);
      const path = { post: wholeId(id, address) };
      // What was read is what is edited: somebody else's edit in between is not overwritten.
      const { version } = unwrap(await client.GET('/v1/posts/{post}', { params: { path } }));
      const post = unwrap(
        await client.PATCH('/v1/posts/{post}', {
          params: { path },
          body: { ...(text !== undefined && { body: text }), ...(fields && { fields }) },
          headers: { 'if-match': `"${version}"` },
        }),
      );
      if (options.json) printJson(post);
      else print(`Edited ${shortId(post.id)}.`);
    });

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
    .action(async (id: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { all?: boolean; with?: UserPart[] }>();
      const { client, address } = connect(options);
      if (id.startsWith('@')) return printJson(await userWith(client, id, options.with ?? []));
      if (options.with) throw new Failure('--with goes with a @handle.', 2);
      const path = { post: wholeId(id, address) };
      const post = unwrap(await client.GET('/v1/posts/{post}', { params: { path } }));
      const comments: Comment[] = [];
      let next: string | null = null;
      do {
        const query = { sort: 'oldest' as const, limit: 50, ...(next && { after: next }) };
        const page: { items: Comment[]; next: string | null } = unwrap(
          await client.GET('/v1/posts/{post}/comments', { params: { path, query } }),
        );
        comments.push(...page.items);
        next = page.next;
      } while (next && options.all);
      store.show(address, [post.id, ...comments.map((comment) => comment.id)]);
      if (options.json) printJson({ ...post, comments });
      else printPost(post, comments, next !== null);
    });

  program
    .command('versions')
    .description('What a post of yours said before its edits')
    .argument('<post>', 'id of the post, or its end')
    .action(async (id: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client, address } = connect(options);
      const path = { post: wholeId(id, address) };
      const { items } = unwrap(await client.GET('/v1/posts/{post}/versions', { params: { path } }));
      if (options.json) return printJson(items);
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
          at(createdAt),
          media.length > 0 ? String(media.length) : '',
          harmless(body),
        ]),
      );
    });

  program
    .command('comment')
    .description('Comment on a post')
    .argument('<post>', 'id of the post, or its end')
    .argument('<text>')
    .option('--reply-to <comment>', 'the comment that this one answers')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(async (id: string, text: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { replyTo?: string; field?: string[] }>();
      const { client, address } = connect(options);
      const fields = await fieldValues(client, 'comments', options.field);
      const parentId = options.replyTo ? wholeId(options.replyTo, address) : null;
      const comment = unwrap(
        await client.POST('/v1/posts/{post}/comments', {
          params: { path: { post: wholeId(id, address) } },
          body: { body: text, parentId, ...(fields && { fields }) },
          headers: repeatable(),
        }),
      );
      store.show(address, [comment.id]);
      if (options.json) printJson(comment);
      else print(`Commented ${shortId(comment.id)}.`);
    });
}
