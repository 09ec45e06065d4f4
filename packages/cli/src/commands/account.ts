import type { Session } from '@gather-lane/client';
import type { Command } from 'commander';
import {
  addressOf,
  connect,
  connectAsNobody,
  connectAsOperator,
  unwrap,
  wholeId,
  type CommonOptions,
} from '../context.js';
import { Failure } from '../failure.js';
import { at, harmless, print, printJson, printTable, shortId } from '../output.js';
import { FIELD_HELP, fieldOption, fieldValues } from '../own-fields.js';
import { askPassword } from '../password.js';
import { store } from '../store.js';

interface PasswordOptions extends CommonOptions {
  passwordStdin?: boolean;
}

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
    .action(async (name: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<PasswordOptions & { email: string; handle?: string; field?: string[] }>();
      const { client, address } = connectAsNobody(options);
      const password = await askPassword(options.passwordStdin ?? false, 'Password (10 characters or more)');
      const { email, handle } = options;
      const fields = await fieldValues(client, 'users', options.field);
      const user = unwrap(
        await client.POST('/v1/users', {
          body: { name, email, password, ...(handle && { handle }), ...(fields && { fields }) },
        }),
      );
      keep(address, unwrap(await client.POST('/v1/sessions', { body: { login: user.handle, password } })));
      if (options.json) printJson(user);
      else print(`Welcome, ${harmless(user.name)}: you are @${user.handle}, and signed in.`);
    });

  program
    .command('sign-in')
    .description('Sign in by handle or e-mail')
    .argument('<login>', 'handle or e-mail')
    .option('--password-stdin', 'read the password from standard input')
    .action(async (login: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<PasswordOptions>();
      const { client, address } = connectAsNobody(options);
      const { demo } = unwrap(await client.GET('/v1/about'));
      // The demo publishes its users' password, so nobody has to type it.
      const known =
        !options.passwordStdin &&
        demo?.users.some((user) => `@${user.handle}`.endsWith(login.toLowerCase().replace(/^@?/, '@')));
      const password = known
        ? demo!.password
        : await askPassword(options.passwordStdin ?? false, `Password of ${login}`);
      const session = unwrap(await client.POST('/v1/sessions', { body: { login, password } }));
      keep(address, session);
      if (options.json) printJson({ user: session.user });
      else print(`Signed in as @${session.user.handle}${known ? " with the demo's password" : ''}.`);
    });

  program
    .command('sign-out')
    .description('Sign out: the session is ended on the service too')
    .option('--everywhere', 'end every session of yours, on other machines too')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { everywhere?: boolean }>();
      const { client, address } = connect(options);
      if (!store.session(address)) throw new Failure(`You are not signed in at ${address}.`);
      const { response } = options.everywhere
        ? await client.DELETE('/v1/sessions')
        : await client.DELETE('/v1/sessions/current');
      store.forget(address);
      // A session that had ended before is as good as signed out.
      if (!response.ok && response.status !== 401)
        throw new Failure(`Signed out here, but the service answered ${response.status}.`);
      if (options.json) printJson({ signedOut: true });
      else print(options.everywhere ? 'Signed out everywhere.' : 'Signed out.');
    });

  program
    .command('sessions')
    .description('List your sessions, or end one of them')
    .option('--end <session>', 'id of the session, or its end')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { end?: string }>();
      const { client, address } = connect(options);
      if (options.end) {
        const session = wholeId(options.end, address);
        unwrap(await client.DELETE('/v1/sessions/{session}', { params: { path: { session } } }));
        return options.json ? printJson({ ended: session }) : print(`Ended ${shortId(session)}.`);
      }
      const { items } = unwrap(await client.GET('/v1/sessions'));
      store.show(
        address,
        items.map(({ id }) => id),
      );
      if (options.json) return printJson(items);
      printTable(
        [{ head: 'ID' }, { head: 'BEGUN' }, { head: 'RENEWED' }, { head: 'ENDS' }, { head: '' }],
        items.map(({ id, createdAt, renewedAt, expiresAt, current, acting, inBrowser }) => [
          shortId(id),
          at(createdAt),
          at(renewedAt),
          at(expiresAt),
          [current && 'this one', inBrowser && 'in a browser', acting && 'the operator acting as you']
            .filter(Boolean)
            .join(', '),
        ]),
      );
    });

  program
    .command('password')
    .description('Change your password; your other sessions end')
    .option('--password-stdin', 'read the old and the new password from standard input, a line each')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<PasswordOptions>();
      const { client } = connect(options);
      const [current = '', password = ''] = options.passwordStdin
        ? (await askPassword(true, '')).split(/\r?\n/)
        : [
            await askPassword(false, 'Password so far'),
            await askPassword(false, 'New password (10 characters or more)'),
          ];
      unwrap(await client.PUT('/v1/me/password', { body: { current, password } }));
      if (options.json) printJson({ changed: true });
      else print('Changed. Your other sessions have ended.');
    });

  program
    .command('forgot-password')
    .description('Have a one-time link sent to your e-mail, or set a new password with what it carries')
    .argument('[email]')
    .option('--token <token>', 'what stands behind # in the link')
    .option('--password-stdin', 'read the new password from standard input')
    .action(async (email: string | undefined, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<PasswordOptions & { token?: string }>();
      const { client } = connectAsNobody(options);
      if ((email === undefined) === (options.token === undefined))
        throw new Failure('Give the e-mail of your account, or --token with what its link carries.', 2);
      if (email !== undefined) {
        unwrap(await client.POST('/v1/password-resets', { body: { email } }));
        return options.json
          ? printJson({ sent: true })
          : print('If this e-mail belongs to an account, a link is on its way. It works once, for 30 minutes.');
      }
      const password = await askPassword(options.passwordStdin ?? false, 'New password (10 characters or more)');
      const token = options.token!.replace(/^.*token=/, '');
      unwrap(await client.POST('/v1/password-resets/redeem', { body: { token, password } }));
      if (options.json) printJson({ changed: true });
      else print('The password is changed, and every session is ended: sign in anew.');
    });

  program
    .command('delete-account')
    .description('Delete your account and all that you made, for good')
    .argument('<handle>', 'your own, so that no account is deleted by mistake')
    .option('--password-stdin', 'read the password from standard input')
    .action(async (handle: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<PasswordOptions>();
      const { client, address } = connect(options);
      const me = unwrap(await client.GET('/v1/me'));
      if (me.handle !== handle.toLowerCase().replace(/^@/, ''))
        throw new Failure(`You are @${me.handle}, not ${handle}: nothing was deleted.`);
      const body =
        me.email === null ? { handle } : { password: await askPassword(options.passwordStdin ?? false, 'Password') };
      unwrap(await client.DELETE('/v1/users/{user}', { params: { path: { user: me.id } }, body }));
      store.forget(address);
      if (options.json) printJson({ deleted: me.id });
      else print(`@${me.handle} is deleted. What is left of it is being erased.`);
    });

  program
    .command('signing-key')
    .description('As the operator, sign access tokens with a new key; nobody is signed out')
    .option('--at-once', 'refuse at once what older keys signed: each session refreshes its token')
    .option('--data <folder>', 'data folder with the operator key')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions & { atOnce?: boolean; data?: string }>();
      const atOnce = options.atOnce ?? false;
      unwrap(await connectAsOperator(options).POST('/v1/operator/signing-keys', { body: { atOnce } }));
      if (options.json) printJson({ rotated: true, atOnce });
      else print(`Access tokens are signed with a new key${atOnce ? ', and older ones are refused' : ''}.`);
    });

  program
    .command('whoami')
    .description('Say who is signed in')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const { client } = connect(options);
      if (!store.session(addressOf(options)))
        throw new Failure(`You are not signed in at ${addressOf(options)}: gather-lane sign-in HANDLE`);
      const me = unwrap(await client.GET('/v1/me'));
      if (options.json) return printJson(me);
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
            at(me.createdAt),
          ],
        ],
      );
    });
}

function keep(address: string, { accessToken, refreshToken, user }: Session): void {
  if (accessToken !== null) store.keep(address, { accessToken, refreshToken, handle: user.handle });
}
