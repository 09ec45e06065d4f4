import type { Command } from 'commander';
import colors from 'picocolors';
import { connect, unwrap, userRef, type CommonOptions } from '../context.js';
import { at, harmless, plural, print, printJson } from '../output.js';
import { fieldLines, FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { printPosts } from '../posts-view.js';
import { store } from '../store.js';

/** Adds `follow`, `unfollow` and `profile`. */
export function peopleCommands(program: Command): void {
  program
    .command('follow')
    .description('Follow a user')
    .argument('<user>', '@handle')
    .action(async (user: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client } = connect(options);
      const follow = unwrap(await client.PUT('/v1/follows/{user}', { params: { path: { user: userRef(user) } } }));
      if (options.json) printJson(follow);
      else
        print(
          follow.changed
            ? `You follow @${follow.user.handle}.`
            : `You followed @${follow.user.handle} already, since ${at(follow.since)} UTC.`,
        );
    });

  program
    .command('unfollow')
    .description('Stop following a user')
    .argument('<user>', '@handle')
    .action(async (user: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client } = connect(options);
      unwrap(await client.DELETE('/v1/follows/{user}', { params: { path: { user: userRef(user) } } }));
      if (options.json) printJson({ unfollowed: userRef(user) });
      else print(`You do not follow ${userRef(user)}.`);
    });

  program
    .command('profile')
    .description('Show a profile and its latest posts, or edit your own')
    .argument('[user]', '@handle; your own when left out')
    .option('--name <name>', 'change your name')
    .option('--bio <bio>', 'change your bio; an empty text clears it')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(async (user: string | undefined, _: unknown, command: Command) => profile(user, command.optsWithGlobals()));
}

async function profile(
  reference: string | undefined,
  options: CommonOptions & { name?: string; bio?: string; field?: string[] },
): Promise<void> {
  const { client, address } = connect(options);
  const user = reference ? userRef(reference) : unwrap(await client.GET('/v1/me')).id;
  const path = { user };
  const fields = await fieldValues(client, 'users', options.field);
  const patch = {
    ...(options.name !== undefined && { name: options.name }),
    ...(options.bio !== undefined && { bio: options.bio || null }),
    ...(fields && { fields }),
  };
  if (Object.keys(patch).length > 0) unwrap(await client.PATCH('/v1/users/{user}', { params: { path }, body: patch }));
  const found = unwrap(await client.GET('/v1/users/{user}', { params: { path } }));
  const posts = unwrap(await client.GET('/v1/users/{user}/posts', { params: { path, query: { limit: 5 } } }));
  store.show(
    address,
    posts.items.map((post) => post.id),
  );
  if (options.json) return printJson({ ...found, latest: posts.items });
  const { tallies, relation } = found;
  print(`${colors.bold(harmless(found.name))} @${found.handle}`);
  if (found.bio) print(harmless(found.bio));
  for (const line of fieldLines(found.fields)) print(line);
  print(
    colors.dim(
      `${plural(tallies.posts, 'post')} · ${plural(tallies.followers, 'follower')} · follows ${tallies.following} · since ${at(found.createdAt)} UTC`,
    ),
  );
  if (relation)
    print(
      colors.dim(
        [relation.youFollow ? 'you follow them' : null, relation.followsYou ? 'they follow you' : null]
          .filter(Boolean)
          .join(', '),
      ),
    );
  if (posts.items.length > 0) printPosts(posts.items);
}
