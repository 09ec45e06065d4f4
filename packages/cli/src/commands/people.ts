import { sayInstant } from '@gather-lane/words';
import { Option, type Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, userRef, type CommonOptions } from '../context.js';
import { harmless, plural, print, printTable } from '../output.js';
import { fieldLines, FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { printPosts } from '../posts-view.js';
import { wholeNumber } from './arguments.js';

/** Adds `follow`, `unfollow`, `near`, `mute`, `unmute`, `block`, `unblock` and `profile`. */
export function peopleCommands(program: Command): void {
  program
    .command('follow')
    .description('Follow a user')
    .argument('<user>', '@handle')
    .action(
      action(
        async ({ client }, user: string) =>
          unwrap(await client.PUT('/v1/follows/{user}', { params: { path: { user: userRef(user) } } })),
        ({ changed, since, user }) =>
          print(
            changed
              ? `You follow @${user.handle}.`
              : `You followed @${user.handle} already, since ${sayInstant(since)} UTC.`,
          ),
      ),
    );

  program
    .command('unfollow')
    .description('Stop following a user')
    .argument('<user>', '@handle')
    .action(
      action(
        async ({ client }, user: string) => {
          unwrap(await client.DELETE('/v1/follows/{user}', { params: { path: { user: userRef(user) } } }));
          return { unfollowed: userRef(user) };
        },
        ({ unfollowed }) => print(`You do not follow ${unfollowed}.`),
      ),
    );

  program
    .command('near')
    .description('Whom you might follow: people near those whom you follow, and why')
    .option('--limit <n>', 'how many', wholeNumber(1, 50), 10)
    .action(
      action(
        async ({ client, options: { limit } }: CommandContext<CommonOptions & { limit: number }>) =>
          unwrap(await client.GET('/v1/follows/near', { params: { query: { limit } } })).items,
        (items) => {
          if (items.length === 0) return print('Nobody whom you do not follow has posted lately.');
          printTable(
            [{ head: 'WHO' }, { head: 'NAME' }, { head: 'WHY', width: 'rest' }],
            items.map(({ user, sentence }) => [colors.cyan(`@${user.handle}`), harmless(user.name), sentence]),
          );
          print(colors.dim(`Follow somebody: gather-lane follow @${items[0]!.user.handle}`));
        },
      ),
    );

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
    .action(action(readOrEdit, showProfile));
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
    .action(
      action(
        async ({ client }, user: string) =>
          unwrap(await client.PUT(path, { params: { path: { user: userRef(user) } } })),
        ({ handle }) => print(`You ${distance} @${handle}.`),
      ),
    );
  program
    .command(`un${distance}`)
    .description(distance === 'mute' ? 'Read a user again' : 'Let a user back in')
    .argument('<user>', '@handle')
    .action(
      action(
        async ({ client }, user: string) => {
          unwrap(await client.DELETE(path, { params: { path: { user: userRef(user) } } }));
          return userRef(user);
        },
        (user) => print(`You ${distance} ${user} no more.`),
        (user) => ({ [`un${distance}`]: user }),
      ),
    );
}

interface ProfileOptions extends CommonOptions {
  readonly name?: string;
  readonly bio?: string;
  readonly handle?: string;
  readonly audience?: 'everyone' | 'signed-in';
  readonly field?: string[];
}

async function readOrEdit(context: CommandContext<ProfileOptions>, reference: string | undefined) {
  const { client, options } = context;
  const path = { user: reference ? userRef(reference) : unwrap(await client.GET('/v1/me')).id };
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
  context.shows(posts.items.map(({ id }) => id));
  return { ...found, latest: posts.items };
}

function showProfile(found: Awaited<ReturnType<typeof readOrEdit>>): void {
  const { tallies, relation, latest } = found;
  print(`${colors.bold(harmless(found.name))} @${found.handle}`);
  if (found.bio) print(harmless(found.bio));
  for (const line of fieldLines(found.fields)) print(line);
  print(
    colors.dim(
      `${plural(tallies.posts, 'post')} · ${plural(tallies.followers, 'follower')} · follows ${tallies.following} · since ${sayInstant(found.createdAt)} UTC${found.draw.value === 0 ? '' : ` · ${found.draw.tier}: draws ${found.draw.value > 0 ? '+' : '−'}${Math.abs(found.draw.value).toFixed(1)} lately`}`,
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
  if (latest.length > 0) printPosts(latest);
}
