import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { isDoorwayRule } from '@gather-lane/core';
import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { clean, run, type Run } from './command.js';
import { startDemo, type DemoService } from './demo-service.js';

let service: DemoService;
let folder = '';
let env: Record<string, string>;

beforeAll(async () => {
  service = await startDemo();
  folder = service.folder;
  env = { GATHER_LANE_ADDRESS: service.address, GATHER_LANE_SESSION_FILE: join(folder, 'session.json') };
});
afterAll(() => service.end());

const gl = (...args: string[]): Promise<Run> => run(args, { env, cwd: folder });
const json = async <T>(...args: string[]): Promise<T> => {
  const { code, out, err } = await gl(...args, '--json');
  if (code !== 0) throw new Error(`${args.join(' ')} exited ${code}: ${err}`);
  return JSON.parse(out) as T;
};
interface Post {
  id: string;
  body: string;
  author: { handle: string };
  comments: { id: string; body: string; parentId: string | null }[];
}

describe('before signing in', () => {
  test('usage: help is 0, an unknown command, option or value is 2, each said on stderr', async () => {
    expect(await gl('--help')).toMatchObject({ code: 0, out: expect.stringContaining('sign-in') });
    expect(await gl('--version')).toMatchObject({ code: 0, out: expect.stringMatching(/^\d+\.\d+\.\d+\n$/) });
    for (const wrong of [
      ['dance'],
      ['feed', '--sideways'],
      ['feed', '--order', 'loudest'],
      ['feed', '--pages', '0'],
      ['post'],
      [],
    ]) {
      const { code, out, err } = await gl(...wrong);
      expect([wrong, code, out]).toEqual([wrong, 2, '']);
      expect(err).not.toBe('');
    }
  });

  test('a call that needs a session is refused and says how to sign in', async () => {
    for (const command of [['feed'], ['whoami'], ['post', 'x'], ['sign-out']]) {
      const { code, out, err } = await gl(...command);
      expect([command[0], code, out]).toEqual([command[0], 1, '']);
      expect(err).toMatch(/sign-in|not signed in/);
    }
  });

  test('a service that is not there: says so, and how to start it', async () => {
    const { code, err } = await run(['feed', '--address', 'http://127.0.0.1:1'], { env });
    expect(code).toBe(1);
    expect(err).toContain('Nothing answers at http://127.0.0.1:1');
    expect(err).toContain('gather-lane start');
  });

  test('routes lists every route with its rule', async () => {
    const { code, out } = await gl('routes');
    expect(code).toBe(0);
    expect(out).toMatch(/PATCH +\/v1\/posts\/\{post\} +owner of post +Edit one’s own post/);
    const routes = await json<{ method: string; path: string; doorway: string }[]>('routes');
    expect(routes.length).toBeGreaterThan(25);
    expect(routes.every((route) => isDoorwayRule(route.doorway))).toBe(true);
  });
});

describe('accounts', () => {
  test('sign-up reads the password from standard input, signs in, and keeps the session with mode 0600', async () => {
    const args = ['sign-up', 'Perran Quill', '--email', 'perran@cut.example', '--password-stdin'];
    expect(await run(args, { env, input: 'a decent password\n' })).toMatchObject({
      code: 0,
      out: 'Welcome, Perran Quill: you are @perran_quill, and signed in.\n',
    });
    expect(statSync(env.GATHER_LANE_SESSION_FILE!).mode & 0o777).toBe(0o600);
    expect(readFileSync(env.GATHER_LANE_SESSION_FILE!, 'utf8')).not.toContain('a decent password');
    expect((await gl('whoami')).out).toMatch(/@perran_quill +Perran Quill +perran@cut\.example/);
    const again = await run(args, { env, input: 'a decent password\n' });
    expect([again.code, again.err]).toEqual([1, expect.stringContaining('e-mail')]);
  });

  test('sign-out ends the session on the service too', async () => {
    const kept = readFileSync(env.GATHER_LANE_SESSION_FILE!, 'utf8');
    expect(await gl('sign-out')).toMatchObject({ code: 0, out: 'Signed out.\n' });
    writeFileSync(env.GATHER_LANE_SESSION_FILE!, kept);
    expect((await gl('whoami')).code).toBe(1);
  });

  test('a wrong password is refused; a demo user needs none', async () => {
    const wrong = await run(['sign-in', 'perran_quill', '--password-stdin'], { env, input: 'nope' });
    expect([wrong.code, wrong.err]).toEqual([1, expect.stringContaining('Handle, e-mail or password is wrong')]);
    expect(await gl('sign-in', '@odile')).toMatchObject({
      code: 0,
      out: "Signed in as @odile with the demo's password.\n",
    });
    expect(await json<{ handle: string; tallies: object }>('whoami')).toMatchObject({
      handle: 'odile',
      tallies: { following: 24 },
    });
  });

  test('an expired access token is renewed without a word', async () => {
    const file = env.GATHER_LANE_SESSION_FILE!;
    const kept = JSON.parse(readFileSync(file, 'utf8')) as Record<string, { session: { accessToken: string } }>;
    kept[service.address]!.session.accessToken = 'expired';
    writeFileSync(file, JSON.stringify(kept));
    expect(await gl('whoami')).toMatchObject({ code: 0 });
    expect(readFileSync(file, 'utf8')).not.toContain('"expired"');
  });
});

describe('the feed', () => {
  test('reads pages in both orders, as a table and as JSON, without repeating a post', async () => {
    const table = await gl('feed', '--limit', '3', '--pages', '2');
    expect(table.code).toBe(0);
    expect(table.out).toMatch(/^ID +BY +POSTED +NET +COMMENTS +POST/);
    expect(table.err).toContain('6 posts; there are more: --pages 3');
    const { items, next } = await json<{ items: Post[]; next: string }>(
      'feed',
      '--order',
      'score',
      '--pages',
      '4',
      '--limit',
      '10',
    );
    expect(new Set(items.map((post) => post.id)).size).toBe(40);
    expect(next).toEqual(expect.any(String));
    const times = items.map((post) => (post as unknown as { laneTime: string }).laneTime);
    expect(times).toEqual([...times].sort().reverse());
  });

  test('--place says why; place explains one post, by the end of its id', async () => {
    expect((await gl('feed', '--order', 'score', '--place', '--limit', '2')).out).toMatch(
      /You follow @\w+; posted \d+ \w{3} \d\d:\d\d UTC;/,
    );
    const { items } = await json<{ items: Post[] }>('feed', '--limit', '1', '--order', 'score');
    const { code, out } = await gl('place', items[0]!.id.slice(-6));
    expect(code).toBe(0);
    expect(out).toMatch(/You follow @\w+; posted/);
    expect(out).toMatch(/KIND +PEOPLE +WEIGHT\n(like +\d+ +1\n)?comment +\d+ +3/);
  });

  test('place --for answers for anybody, with the operator key alone', async () => {
    const { items } = await json<{ items: Post[] }>('feed', '--limit', '1');
    const id = items[0]!.id;
    expect(await json('place', id, '--for', '@wren')).toMatchObject({ inFeed: false, reason: 'not-followed' });
    const { code, err } = await run(['place', id, '--for', '@wren'], { env, cwd: tmpdir() });
    expect([code, err]).toEqual([1, expect.stringContaining('operator key')]);
  });

  test('an id that ends like none, or like several, is refused', async () => {
    expect(await gl('show', 'ffffff0')).toMatchObject({
      code: 1,
      err: expect.stringContaining('No id shown lately ends in'),
    });
    expect(await gl('show', 'no-id!')).toMatchObject({ code: 2 });
  });

  test('an empty one says what to do next', async () => {
    const other = { ...env, GATHER_LANE_SESSION_FILE: join(folder, 'wren.json') };
    await run(['sign-in', 'wren'], { env: other });
    const { code, out } = await run(['feed'], { env: other });
    expect([code, out]).toEqual([0, expect.stringContaining('gather-lane near')]);
    expect((await run(['near'], { env: other })).out).toMatch(/gather-lane follow @\w+/);
  });
});

describe('posts, comments and follows', () => {
  test('post, show, edit, comment, answer and delete', async () => {
    const { id } = await json<Post>('post', 'Frost on the ropes. #moorings');
    const end = id.slice(-6);
    expect((await gl('show', end)).out).toContain('Frost on the ropes.');
    expect(await gl('edit', end, 'No frost any more.')).toMatchObject({ code: 0, out: `Edited ${end}.\n` });
    const comment = await json<{ id: string }>('comment', end, 'Kettle is on.');
    expect((await gl('comment', end, 'On our way.', '--to', comment.id.slice(-6))).code).toBe(0);
    const shown = await json<Post>('show', end);
    expect(shown).toMatchObject({
      body: 'No frost any more.',
      comments: [{ body: 'Kettle is on.' }, { body: 'On our way.', parentId: comment.id }],
    });
    const thread = (await gl('show', end)).out;
    expect(thread).toMatch(
      /@odile · just now · 1 reply\n {8}Kettle is on\.\n {2}\w{6} {2}@odile · just now\n {10}On our way\./,
    );
    expect(await gl('delete', end)).toMatchObject({
      code: 0,
      out: `Deleted ${end}. Bring it back with \`gather-lane restore ${end}\`.\n`,
    });
    expect((await gl('show', id)).code).toBe(1);
  });

  test('somebody else’s post cannot be edited or deleted, and the refusal says why', async () => {
    const { items } = await json<{ items: Post[] }>('feed', '--no-own', '--limit', '1');
    for (const args of [
      ['edit', items[0]!.id, 'mine'],
      ['delete', items[0]!.id],
    ]) {
      const { code, out, err } = await gl(...args);
      expect([code, out]).toEqual([1, '']);
      expect(err).toContain('This is not yours');
    }
    expect((await json<Post>('show', items[0]!.id)).body).toBe(items[0]!.body);
  });

  test('a text that is too long is refused with its size', async () => {
    expect(await gl('post', 'x'.repeat(601))).toMatchObject({
      code: 1,
      err: expect.stringContaining('at most 600 characters, but has 601'),
    });
  });

  test('follow, again, unfollow, and the profile says so', async () => {
    await gl('unfollow', '@wren');
    expect((await gl('follow', 'wren')).out).toBe('You follow @wren.\n');
    expect((await gl('follow', '@wren')).out).toMatch(/^You followed @wren already, since /);
    expect((await gl('profile', '@wren')).out).toMatch(/Wren Alder @wren[^]*1 follower[^]*you follow them/);
    expect(await json('profile', 'wren')).toMatchObject({ handle: 'wren', relation: { youFollow: true }, latest: [] });
    expect((await gl('unfollow', '@wren')).code).toBe(0);
    expect((await gl('follow', '@odile')).err).toContain('Nobody follows themselves');
    expect((await gl('profile', '--bio', 'Between Ropewalk and Hob Hill.')).out).toContain(
      'Between Ropewalk and Hob Hill.',
    );
  });

  test('show @handle --with prints a user and what belongs to them as JSON', async () => {
    const { code, out } = await gl('show', '@odile', '--with', 'posts,follows');
    const user = JSON.parse(out) as {
      handle: string;
      tallies: Record<string, number>;
      posts: object[];
      follows: object[];
      followers?: object;
    };
    expect([code, user.handle, user.followers]).toEqual([0, 'odile', undefined]);
    expect([user.posts.length, user.follows.length]).toEqual([user.tallies.posts, user.tallies.following]);
    expect((await gl('show', '@odile', '--with', 'moons')).code).toBe(2);
    expect((await gl('show', '@not_there')).code).toBe(1);
  });

  test('another’s control characters do not reach the terminal', async () => {
    const { id } = await json<Post>('post', 'before \u001b[2Jafter \u202ehidden');
    const { out } = await gl('show', id);
    expect(out).toContain('before \uFFFD[2Jafter');
    expect(out).not.toContain('\u001b[2J');
    expect(out).not.toContain('\u202e');
  });
});

describe('config and check setup', () => {
  test('config writes a first file once, and never over one', async () => {
    expect(await gl('config')).toMatchObject({ code: 0 });
    const written = readFileSync(join(folder, 'gather-lane.yaml'), 'utf8');
    expect(written).toBe((await gl('config', '--stdout')).out);
    expect(await gl('config')).toMatchObject({ code: 1, err: expect.stringContaining('left as it is') });
    rmSync(join(folder, 'gather-lane.yaml'));
  });

  test('errors under --json are JSON on standard error, with the problem that the service answered', async () => {
    const missing = await gl('--address', service.address, '--json', 'show', '0190a000-0000-7000-8000-00000000abcd');
    expect(missing.code).toBe(1);
    expect(JSON.parse(missing.err)).toEqual({
      error: { detail: expect.any(String), exitCode: 1, problem: expect.objectContaining({ status: 404 }) },
    });
    const usage = await gl('--json', 'feed', '--limit', 'many');
    expect([usage.code, JSON.parse(usage.err)]).toEqual([
      2,
      { error: { detail: expect.stringContaining('--limit'), exitCode: 2 } },
    ]);
  });

  test('a mistake points to the help of its own command; an address needs no scheme; nothing is said twice', async () => {
    expect((await gl('feed', '--limt', '3')).err).toContain('(see gather-lane feed --help)');
    expect((await gl('check', 'data', '--al')).err).toContain('(see gather-lane check data --help)');
    const bare = await gl('--address', new URL(service.address).host, 'show', '@nobody');
    expect(bare.err).not.toMatch(/\n\s+at /);
    expect((await gl('--address', new URL(service.address).host, 'routes')).code).toBe(0);
    const none = await gl('--address', 'ftp://x', 'routes');
    expect([none.code, none.err]).toEqual([2, expect.stringContaining('is no address of a service')]);
    const env = { GATHER_LANE_SESSION_FILE: join(folder, 'of-nobody.json') };
    const nobody = await run(['--address', service.address, 'post', 'Hello'], { cwd: folder, env });
    expect(nobody.err).toContain('Sign in');
    expect(nobody.err).not.toMatch(/(Sign in first: ){2}/);
  });

  test('commands on the data find the database of the service that runs on the folder, and name a variable that is wrong', async () => {
    // This shell knows nothing of the service's database: what the service wrote down does.
    expect((await run(['model', '--json'], { cwd: service.folder })).code).toBe(0);
    const { host, port, user, password } = service.database;
    const other = { PGHOST: host, PGPORT: String(port), PGUSER: user, PGPASSWORD: password!, PGDATABASE: 'another' };
    const wrong = await run(['model'], { cwd: service.folder, env: other });
    expect([wrong.code, wrong.err]).toEqual([1, expect.stringMatching(/PG\w+ names .*another.*but the service/)]);
    const url = await run(['model'], { cwd: folder, env: { GATHER_LANE_DATABASE_URL: 'no address' } });
    expect(url.err).toContain('GATHER_LANE_DATABASE_URL');
    expect(url.err).not.toMatch(/\n\s+at /);
  });

  test('the whole example of the client does what its page shows', () => {
    const { stdout, stderr } = spawnSync(process.execPath, ['examples/client/read-feed.mjs'], {
      encoding: 'utf8',
      env: { ...clean(), GATHER_LANE_ADDRESS: service.address },
    });
    const shown = /\$ node examples\/client\/read-feed\.mjs\n([^]*?)```/.exec(
      readFileSync('docs/client.md', 'utf8'),
    )![1]!;
    const shape = (text: string) =>
      text.replace(/^\d+ posts/m, 'N posts').replace(/^On top: @\w+/m, 'On top: @somebody');
    expect([shape(stdout), stderr]).toEqual([shape(shown), '']);
  });

  test('check setup looks at everything, and says how to mend what is wrong', async () => {
    const { port, password, host, database } = service.database;
    const own = (secret: string) => ({
      PGHOST: host,
      PGPORT: String(port),
      PGUSER: 'postgres',
      PGPASSWORD: secret,
      PGDATABASE: database,
    });
    const good = await run(['check', 'setup', '--port', '0'], { cwd: folder, env: own(password!) });
    expect(good.code).toBe(0);
    expect(good.out).toMatch(/Database +good/);
    const taken = new URL(service.address).port;
    const bad = await run(['check', 'setup', '--data', 'elsewhere', '--port', taken, '--json'], {
      cwd: folder,
      env: own('wrong'),
    });
    expect(bad.code).toBe(1);
    expect((JSON.parse(bad.out) as { findings: object[] }).findings).toEqual(
      expect.arrayContaining([
        expect.objectContaining({
          what: 'Database',
          state: 'bad',
          mend: expect.stringContaining('refuses the password'),
        }),
        expect.objectContaining({ what: 'Port', state: 'bad', mend: expect.stringContaining('--port') }),
      ]),
    );
    expect((await run(['check', 'setup', '--port', '0'], { cwd: folder })).out).toMatch(
      /PostgreSQL +good +.*embedded cluster/,
    );
  });

  test('sessions are listed and ended, everywhere if wanted; a password is changed from standard input', async () => {
    const folderOf = (name: string) => ({ GATHER_LANE_SESSION_FILE: join(folder, `${name}.json`) });
    const as = (name: string, args: string[], input?: string) =>
      run(['--address', service.address, ...args], {
        cwd: folder,
        env: folderOf(name),
        ...(input !== undefined && { input }),
      });
    await as(
      'one',
      ['sign-up', 'Sessa Tull', '--email', 'sessa@cut.example', '--handle', 'sessa', '--password-stdin'],
      'first password',
    );
    await as('two', ['sign-in', 'sessa', '--password-stdin'], 'first password');
    const listed = await as('one', ['sessions', '--json']);
    const sessions = JSON.parse(listed.out) as { id: string; current: boolean }[];
    expect(sessions).toHaveLength(2);
    expect((await as('one', ['sessions'])).out).toMatch(/this one/);
    const other = sessions.find(({ current }) => !current)!.id;
    expect((await as('one', ['sessions', '--end', other.slice(-8)])).out).toBe(`Ended ${other.slice(-6)}.\n`);
    expect((await as('two', ['whoami'])).code).toBe(1);
    expect((await as('one', ['password', '--password-stdin'], 'wrong one\nsecond password')).err).toContain(
      'current is not the password',
    );
    expect((await as('one', ['password', '--password-stdin'], 'first password\nsecond password\n')).code).toBe(0);
    expect((await as('two', ['sign-in', 'sessa', '--password-stdin'], 'second password')).code).toBe(0);
    expect((await as('two', ['sign-out', '--everywhere'])).out).toBe('Signed out everywhere.\n');
    expect((await as('one', ['whoami'])).code).toBe(1);
  });
});
