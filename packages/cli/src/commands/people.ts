import { Option, type Command } from 'commander';
import colors from 'picocolors';
import { connect, unwrap, userRef, type CommonOptions } from '../context.js';
import { at, harmless, plural, print, printJson, printTable } from '../output.js';
import { fieldLines, FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { printPosts } from '../posts-view.js';
import { store } from '../store.js';
import { wholeNumber } from './arguments.js';

/** Adds `follow`, `unfollow`, `near`, `mute`, `unmute`, `block`, `unblock` and `profile`. */
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
    .command('near')
    .description('Whom you might follow: people near those whom you follow, and why')
    .option('--limit <n>', 'how many', wholeNumber(1, 50), 10)
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { limit: number }>();
      const { client } = connect(options);
      const { items } = unwrap(await client.GET('/v1/follows/near', { params: { query: { limit: options.limit } } }));
      if (options.json) return printJson(items);
      if (items.length === 0) return print('Nobody whom you do not follow has posted lately.');
      printTable(
        [{ head: 'WHO' }, { head: 'NAME' }, { head: 'WHY', width: 'rest' }],
        items.map(({ user, sentence }) => [colors.cyan(`@${user.handle}`), harmless(user.name), sentence]),
      );
      print(colors.dim(`Follow somebody: gather-lane follow @${items[0]!.user.handle}`));
    });

  for (const distance of ['mute', 'block'] as const) distanceCommands(program, distance);

  program
    .command('profile')
    .description('Show a profile and its latest posts, or edit your own')
    .argument('[user]', '@handle; your own when left out')
    .option('--name <name>', 'change your name')
    .option('--bio <bio>', 'change your bio; an empty text clears it')
    .option('--handle <handle>', 'change your handle; the old one is kept for you for 30 days')
    .addOption(
      new Option('--audience <who>', 'who may see your profile and posts').choices(['everyone', 'signed-in'] as const),
    )
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .action(async (user: string | undefined, _: unknown, command: Command) => profile(user, command.optsWithGlobals()));
}

const DISTANCE = {
  mute: { path: '/v1/mutes/{user}', does: 'Mute a user: you read nothing of theirs, and they are not told' },
  block: { path: '/v1/blocks/{user}', does: 'Block a user: they see nothing of you; the follows between you end' },
} as const;

function distanceCommands(program: Command, distance: 'mute' | 'block'): void {
  const { path, does } = DISTANCE[distance];
  program
    .command(distance)
    .description(does)
    .argument('<user>', '@handle')
    .action(async (user: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const found = unwrap(await connect(options).client.PUT(path, { params: { path: { user: userRef(user) } } }));
      if (options.json) printJson(found);
      else print(`You ${distance} @${found.handle}.`);
    });
  program
    .command(`un${distance}`)
    .description(distance === 'mute' ? 'Read a user again' : 'Let a user back in')
    .argument('<user>', '@handle')
    .action(async (user: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      unwrap(await connect(options).client.DELETE(path, { params: { path: { user: userRef(user) } } }));
      if (options.json) printJson({ [`un${distance}`]: userRef(user) });
      else print(`You ${distance} ${userRef(user)} no more.`);
    });
}

async function profile(
  reference: string | undefined,
  options: CommonOptions & {
    name?: string;
    bio?: string;
    handle?: string;
    audience?: 'everyone' | 'signed-in';
    field?: string[];
  },
): Promise<void> {
  const { client, address } = connect(options);
  const user = reference ? userRef(reference) : unwrap(await client.GET('/v1/me')).id;
  const path = { user };
  const fields = await fieldValues(client, 'users', options.field);
  const patch = {
    ...(options.name !== undefined && { name: options.name }),
    ...(options.bio !== undefined && { bio: options.bio || null }),
    ...(options.handle !== undefined && { handle: options.handle }),
    ...(options.audience !== undefined && { audience: options.audience }),
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
        [
          relation.youFollow && 'you follow them',
          relation.followsYou && 'they follow you',
          relation.muted && 'you mute them',
          relation.blocked && 'you block them',
        ]
          .filter(Boolean)
          .join(', '),
      ),
    );
  if (posts.items.length > 0) printPosts(posts.items);
}
