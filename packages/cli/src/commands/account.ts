import { sayInstant } from '@gather-lane/words';
import type { Me, Session, User } from '@gather-lane/client';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { Failure } from '../failure.js';
import { harmless, print, printTable, shortId } from '../output.js';
import { FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { askPassword } from '../password.js';
import { store } from '../store.js';

interface PasswordOptions extends CommonOptions {
  readonly passwordStdin?: boolean;
}
type SignUpOptions = PasswordOptions & {
  readonly email: string;
  readonly handle?: string;
  readonly field?: string[];
};
type ForgotOptions = PasswordOptions & { readonly token?: string };
type KeyOptions = CommonOptions & { readonly atOnce?: boolean; readonly data?: string };

const NEW_PASSWORD = 'New password (10 characters or more)';

/** Adds the commands that sign up, in and out, `sessions`, `password` and `whoami`. */
export function accountCommands(program: Command): void {
  program
    .command('sign-up')
    .description('Make an account and sign in')
    .argument('<name>', 'how you are called')
    .requiredOption('--email <address>')
    .option('--handle <handle>', 'made from the name when left out')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .option('--password-stdin', 'read the password from standard input')
    .action(
      action(signUp, ({ name, handle }) => print(`Welcome, ${harmless(name)}: you are @${handle}, and signed in.`)),
    );

  program
    .command('sign-in')
    .description('Sign in by handle or e-mail')
    .argument('<login>', 'handle or e-mail')
    .option('--password-stdin', 'read the password from standard input')
    .action(
      action(
        signIn,
        ({ user, known }) => print(`Signed in as @${user.handle}${known ? " with the demo's password" : ''}.`),
        ({ user }) => ({ user }),
      ),
    );

  program
    .command('sign-out')
    .description('Sign out: the session is ended on the service too')
    .option('--everywhere', 'end every session of yours, on other machines too')
    .action(action(signOut, (_, { options }) => print(options.everywhere ? 'Signed out everywhere.' : 'Signed out.')));

  program
    .command('sessions')
    .description('List your sessions, or end one of them')
    .option('--end <session>', 'id of the session, or its end')
    .action(
      action(
        async (context: CommandContext<CommonOptions & { end?: string }>) =>
          context.options.end ? await endSession(context, context.options.end) : await listSessions(context),
        (result) => (Array.isArray(result) ? showSessions(result) : print(`Ended ${shortId(result.ended)}.`)),
      ),
    );

  program
    .command('password')
    .description('Change your password; your other sessions end')
    .option('--password-stdin', 'read the old and the new password from standard input, a line each')
    .action(action(changePassword, () => print('Changed. Your other sessions have ended.')));

  program
    .command('forgot-password')
    .description('Have a one-time link sent to your e-mail, or set a new password with what it carries')
    .argument('[email]')
    .option('--token <token>', 'what stands behind # in the link')
    .option('--password-stdin', 'read the new password from standard input')
    .action(
      action(forgotPassword, (done) =>
        print(
          'sent' in done
            ? 'If this e-mail belongs to an account, a link is on its way. It works once, for 30 minutes.'
            : 'The password is changed, and every session is ended: sign in anew.',
        ),
      ),
    );

  program
    .command('delete-account')
    .description('Delete your account and all that you made, for good')
    .argument('<handle>', 'your own, so that no account is deleted by mistake')
    .option('--password-stdin', 'read the password from standard input')
    .action(
      action(
        deleteAccount,
        ({ handle }) => print(`@${handle} is deleted. What is left of it is being erased.`),
        ({ id }) => ({ deleted: id }),
      ),
    );

  program
    .command('signing-key')
    .description('As the operator, sign access tokens with a new key; nobody is signed out')
    .option('--at-once', 'refuse at once what older keys signed: each session refreshes its token')
    .option('--data <folder>', 'data folder with the operator key')
    .action(
      action(rotateKey, ({ atOnce }) =>
        print(`Access tokens are signed with a new key${atOnce ? ', and older ones are refused' : ''}.`),
      ),
    );

  program.command('whoami').description('Say who is signed in').action(action(whoAmI, showMe));
}

async function signUp(context: CommandContext<SignUpOptions>, name: string): Promise<User> {
  const { nobody: client, options } = context;
  const password = await askPassword(options.passwordStdin ?? false, 'Password (10 characters or more)');
  const { email, handle } = options;
  const fields = await fieldValues(client, 'users', options.field);
  const body = { name, email, password, ...(handle && { handle }), ...(fields && { fields }) };
  const user = unwrap(await client.POST('/v1/users', { body }));
  keep(context, unwrap(await client.POST('/v1/sessions', { body: { login: user.handle, password } })));
  return user;
}

async function signIn(context: CommandContext<PasswordOptions>, login: string) {
  const { nobody: client, options } = context;
  const { demo } = unwrap(await client.GET('/v1/about'));
  // The demo publishes its users' password, so nobody has to type it.
  const known =
    !options.passwordStdin &&
    demo?.users.some((user) => `@${user.handle}`.endsWith(login.toLowerCase().replace(/^@?/, '@')));
  const password = known ? demo!.password : await askPassword(options.passwordStdin ?? false, `Password of ${login}`);
  const session = unwrap(await client.POST('/v1/sessions', { body: { login, password } }));
  keep(context, session);
  return { user: session.user, known };
}

async function signOut({ client, address, options }: CommandContext<CommonOptions & { everywhere?: boolean }>) {
  if (!store.session(address)) throw new Failure(`You are not signed in at ${address}.`);
  const { response } = options.everywhere
    ? await client.DELETE('/v1/sessions')
    : await client.DELETE('/v1/sessions/current');
  store.forget(address);
  // A session that had ended before is as good as signed out.
  if (!response.ok && response.status !== 401)
    throw new Failure(`Signed out here, but the service answered ${response.status}.`);
  return { signedOut: true };
}

async function endSession(context: CommandContext, text: string): Promise<{ ended: string }> {
  const session = context.whole(text);
  unwrap(await context.client.DELETE('/v1/sessions/{session}', { params: { path: { session } } }));
  return { ended: session };
}

async function listSessions(context: CommandContext) {
  const { items } = unwrap(await context.client.GET('/v1/sessions'));
  context.shows(items.map(({ id }) => id));
  return items;
}

function showSessions(items: Awaited<ReturnType<typeof listSessions>>): void {
  printTable(
    [{ head: 'ID' }, { head: 'BEGUN' }, { head: 'RENEWED' }, { head: 'ENDS' }, { head: '' }],
    items.map(({ id, createdAt, renewedAt, expiresAt, current, acting, inBrowser }) => [
      shortId(id),
      sayInstant(createdAt),
      sayInstant(renewedAt),
      sayInstant(expiresAt),
      [current && 'this one', inBrowser && 'in a browser', acting && 'the operator acting as you']
        .filter(Boolean)
        .join(', '),
    ]),
  );
}

async function changePassword({ client, options }: CommandContext<PasswordOptions>) {
  const [current = '', password = ''] = options.passwordStdin
    ? (await askPassword(true, '')).split(/\r?\n/)
    : [await askPassword(false, 'Password so far'), await askPassword(false, NEW_PASSWORD)];
  unwrap(await client.PUT('/v1/me/password', { body: { current, password } }));
  return { changed: true };
}

async function forgotPassword({ nobody: client, options }: CommandContext<ForgotOptions>, email: string | undefined) {
  if ((email === undefined) === (options.token === undefined))
    throw new Failure('Give the e-mail of your account, or --token with what its link carries.', 2);
  if (email !== undefined) {
    unwrap(await client.POST('/v1/password-resets', { body: { email } }));
    return { sent: true };
  }
  const password = await askPassword(options.passwordStdin ?? false, NEW_PASSWORD);
  const token = options.token!.replace(/^.*token=/, '');
  unwrap(await client.POST('/v1/password-resets/redeem', { body: { token, password } }));
  return { changed: true };
}

async function deleteAccount({ client, address, options }: CommandContext<PasswordOptions>, handle: string) {
  const me = unwrap(await client.GET('/v1/me'));
  if (me.handle !== handle.toLowerCase().replace(/^@/, ''))
    throw new Failure(`You are @${me.handle}, not ${handle}: nothing was deleted.`);
  const body =
    me.email === null ? { handle } : { password: await askPassword(options.passwordStdin ?? false, 'Password') };
  unwrap(await client.DELETE('/v1/users/{user}', { params: { path: { user: me.id } }, body }));
  store.forget(address);
  return { id: me.id, handle: me.handle };
}

async function rotateKey({ operator, options }: CommandContext<KeyOptions>) {
  const atOnce = options.atOnce ?? false;
  unwrap(await operator.POST('/v1/operator/signing-keys', { body: { atOnce } }));
  return { rotated: true, atOnce };
}

async function whoAmI({ client, address }: CommandContext): Promise<Me> {
  if (!store.session(address)) throw new Failure(`You are not signed in at ${address}: gather-lane sign-in HANDLE`);
  return unwrap(await client.GET('/v1/me'));
}

function showMe(me: Me): void {
  printTable(
    [
      { head: 'HANDLE' },
      { head: 'NAME' },
      { head: 'E-MAIL' },
      { head: 'POSTS', align: 'right' },
      { head: 'FOLLOWERS', align: 'right' },
      { head: 'FOLLOWS', align: 'right' },
      { head: 'SINCE' },
    ],
    [
      [
        `@${me.handle}`,
        harmless(me.name),
        me.email ?? 'none: signs in elsewhere',
        String(me.tallies.posts),
        String(me.tallies.followers),
        String(me.tallies.following),
        sayInstant(me.createdAt),
      ],
    ],
  );
}

function keep({ address }: CommandContext, { accessToken, refreshToken, user }: Session): void {
  if (accessToken !== null) store.keep(address, { accessToken, refreshToken, handle: user.handle });
}
