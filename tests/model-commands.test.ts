import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import type { TestDatabase } from '../packages/server/src/tests/test-database.js';
import { clean, COMMAND, run, start, type Started } from './command.js';
import { demoDatabase } from './demo-service.js';

let database: TestDatabase;
let client: pg.Client;
let folder = '';
let env: Record<string, string>;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-model-'));
  database = await demoDatabase(folder);
  const { host, port, user, password, database: name } = database.address;
  env = {
    PGHOST: host,
    PGPORT: String(port),
    PGUSER: user,
    PGPASSWORD: password!,
    PGDATABASE: name,
    GATHER_LANE_SESSION_FILE: join(folder, 'session.json'),
  };
  client = new pg.Client(database.address);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await database.drop();
  rmSync(folder, { recursive: true });
});

const services: Started[] = [];
const serve = async (args: string[], more: Record<string, string> = {}): Promise<Started> => {
  const service = await start(args, { env: { ...env, ...more }, cwd: folder });
  services.push(service);
  return service;
};
// A test that fails leaves its service behind.
afterEach(async () => {
  for (let service = services.pop(); service; service = services.pop()) await service.stop('SIGKILL');
});

const gl = (...args: string[]) => run(args, { env, cwd: folder });
const file = (text: string, name = 'gather-lane.yaml') => writeFileSync(join(folder, name), text);
const mooring = (more = '') => `model:
  users:
    fields:
      mooring: { type: string, maxLength: 40, required: true${more} }
  posts:
    fields:
      lockNumber: { type: integer, minimum: 1, maximum: 21 }
`;
const ready = async (service: Started) => (await fetch(`${service.address}/ready`)).status;
const kinds = async () =>
  (JSON.parse((await gl('model', 'changes', '--json')).out) as { changes: { kind: string }[] }).changes.map(
    ({ kind }) => kind,
  );

/** What `--json` shows of a plan. */
interface Planned {
  readonly changes: { readonly field: string; readonly kind: string; readonly hazards: { readonly open: boolean }[] }[];
}

/** Calls a service again and again; tells which statuses came back. */
function callOn(service: Started): { stop: () => Promise<Set<number>> } {
  let going = true;
  const seen = new Set<number>();
  const body = JSON.stringify({ login: 'odile', password: 'tidewick-demo' });
  const json = { 'content-type': 'application/json' };
  const calling = (async () => {
    const session = await fetch(`${service.address}/v1/sessions`, { method: 'POST', headers: json, body });
    const { accessToken } = (await session.json()) as { accessToken: string };
    const headers = { ...json, authorization: `Bearer ${accessToken}` };
    while (going) {
      const replies = await Promise.all([
        fetch(`${service.address}/v1/posts`, {
          method: 'POST',
          headers,
          body: JSON.stringify({ body: 'Still afloat.' }),
        }),
        fetch(`${service.address}/v1/feeds/following?order=score`, { headers }),
        fetch(`${service.address}/v1/users/@bram`, { headers }),
        fetch(`${service.address}/v1/users/@odile`, {
          method: 'PATCH',
          headers,
          body: JSON.stringify({ bio: `${Math.random()}` }),
        }),
      ]);
      for (const { status } of replies) seen.add(status);
      // A breath between rounds: the migration shall have calls beside it, not have to fight them for the processor.
      await new Promise((resolve) => setTimeout(resolve, 40));
    }
  })();
  return { stop: async () => ((going = false), await calling, seen) };
}

describe('shaping the model', () => {
  test('a model file that cannot be stops the start, with line, field and mend', async () => {
    file(mooring(', default: 12'));
    for (const args of [['start'], ['model', 'changes']]) {
      const { code, err } = await gl(...args);
      expect([code, err]).toEqual([
        2,
        expect.stringMatching(
          /gather-lane\.yaml, line 4: "model\.users\.fields\.mooring\.default" breaks the field's own rule: 12 must be string/,
        ),
      ]);
    }
  });

  test('a field goes in under a running service without failing a call, and is required once the service is restarted', async () => {
    rmSync(join(folder, 'gather-lane.yaml'));
    const older = await serve(['--demo']);
    file(mooring());
    const shown = await gl('model', 'changes');
    expect(shown.out).toContain('! 60 rows of 60 have no value, and there is no default.');
    expect(shown.out).toContain('ALTER TABLE users ADD COLUMN IF NOT EXISTS "f_mooring" text');
    expect(shown.out).toContain(
      'users.mooring:\n  rows-without-value: { constant: }  # the same value for all of them',
    );
    // What it prints, used as printed, writes nothing into anybody's rows.
    file(/^users\.mooring:[^]*$/m.exec(shown.out)![0], 'answers.yaml');
    const asPrinted = await gl('model', 'migrate', '--answers', 'answers.yaml');
    expect([asPrinted.code, asPrinted.err]).toEqual([1, expect.stringContaining('the constant is still to be chosen')]);
    file('users.mooring:\n  rows-without-value: { constant: … }\n', 'answers.yaml');
    expect((await gl('model', 'migrate', '--answers', 'answers.yaml')).err).toContain('is still to be chosen');
    file('users.mooring:\n  rows-without-value: { column: }\n', 'answers.yaml');
    expect((await gl('model', 'migrate', '--answers', 'answers.yaml')).err).toContain('name the column to copy from');
    const refused = await gl('model', 'migrate');
    expect([refused.code, refused.err]).toEqual([
      1,
      expect.stringContaining('Nothing was done, because of what the rows would suffer'),
    ]);
    file('users.mooring:\n  rows-without-value: { mak: place }\n', 'answers.yaml');
    expect((await gl('model', 'migrate', '--answers', 'answers.yaml')).err).toContain(
      'answers.yaml, users.mooring, rows-without-value: write clear',
    );

    file('users.mooring:\n  rows-without-value: { make: place }\n', 'answers.yaml');
    const dry = await gl('model', 'migrate', '--answers', 'answers.yaml', '--dry-run', '--json');
    expect((JSON.parse(dry.out) as { changes: unknown[] }).changes).toHaveLength(3);
    expect((await client.query(`SELECT FROM model_migrations`)).rowCount).toBe(0);
    const calls = callOn(older);
    const expanded = await gl('model', 'migrate', '--answers', 'answers.yaml');
    expect([expanded.code, expanded.out]).toEqual([
      1,
      expect.stringMatching(/What is left:\n {2}Require users\.mooring.*\nThe service of process \d+ on .* restart it/),
    ]);
    expect(await calls.stop()).toEqual(new Set([200, 201]));

    await older.stop();
    const restarted = await serve(['--demo']);
    expect(await kinds()).toEqual([]);
    const odile = (await (await fetch(`${restarted.address}/v1/users/@odile`)).json()) as {
      fields: { mooring: string };
    };
    expect(odile.fields.mooring).toMatch(/\w+, \w+/);
    await restarted.stop();
  });

  test('fields are given on the command line, and shown there', async () => {
    const service = await serve(['--demo']);
    const at = (...args: string[]) => gl('--address', service.address, ...args);
    await at('sign-in', 'odile');
    const made = await at('--json', 'post', 'Nineteen down.', '--field', 'lockNumber=19');
    const { id } = JSON.parse(made.out) as { id: string };
    expect((await at('show', id)).out).toContain('lockNumber: 19');
    expect((await at('edit', id, '--field', 'lockNumber=22')).err).toContain('fields/lockNumber must be <= 21');
    await at('edit', id, '--field', 'lockNumber=');
    expect((await at('show', id)).out).not.toContain('lockNumber');
    expect((await at('profile', '--field', 'mooring=Hob Lock')).out).toContain('mooring: Hob Lock');
    expect((await at('fields', '@odile', '--field', 'mooring=Candle Lock')).out).toBe('mooring: Candle Lock\n');
    expect((await at('edit', id)).code).toBe(2);
    await service.stop();
  });

  test('a service ahead of its tables waits, and works as soon as they are migrated, without a restart', async () => {
    file(mooring() + '  comments:\n    fields:\n      tone: { type: string, enum: [kind, dry] }\n');
    const service = await serve([], { GATHER_LANE_DATA: 'another' });
    const posts = await fetch(`${service.address}/v1/posts`);
    expect([posts.status, await ready(service)]).toEqual([503, 503]);
    expect(((await posts.json()) as { detail: string }).detail).toContain('gather-lane model migrate');
    const setup = await gl('check', 'setup', '--data', 'another');
    expect([setup.code, setup.out]).toEqual([1, expect.stringMatching(/Model +bad +Add comments\.tone/)]);
    expect(service.notReady).toContain('gather-lane model migrate');
    expect((await gl('model', 'migrate')).code).toBe(0);
    while ((await ready(service)) !== 200) await new Promise((resolve) => setTimeout(resolve, 200));
    expect((await fetch(`${service.address}/v1/posts`)).status).toBe(200);
    await service.stop();
    const dry = JSON.parse((await gl('model', 'migrate', '--back', '--dry-run', '--json')).out) as Planned;
    expect(dry.changes.map(({ field, kind }) => [field, kind])).toEqual([['comments.tone', 'drop-field']]);
    const back = await gl('model', 'migrate', '--back');
    expect(back.out).toMatch(/The model file still asks for[^]*Add comments\.tone/);
    file(mooring());
    expect(await kinds()).toEqual([]);
  });

  test('a field with data is dropped only by name', async () => {
    file(mooring().replace(/ {2}users:[^]*? {2}posts:/, '  posts:'));
    expect((await gl('model', 'migrate')).err).toContain(
      '60 rows would lose their values for good. Choose: --drop users.mooring',
    );
    expect(await kinds()).toEqual(['drop-field']);
    const hazards = async (...args: string[]) =>
      (JSON.parse((await gl('model', 'migrate', '--dry-run', '--json', ...args)).out) as Planned).changes.flatMap(
        (change) => change.hazards.map(({ open }) => open),
      );
    expect([await hazards(), await hazards('--drop', 'users.mooring')]).toEqual([[true], [false]]);
    expect((await gl('model', 'migrate', '--drop', 'users.mooring')).code).toBe(0);
    expect(await kinds()).toEqual([]);
    const back = await gl('model', 'migrate', '--back');
    expect([back.code, back.err]).toEqual([1, expect.stringContaining('have no value')]);
    file('users.mooring:\n  rows-without-value: { make: place }\n', 'answers.yaml');
    expect((await gl('model', 'migrate', '--back', '--answers', 'answers.yaml')).out).toMatch(
      /users\.mooring is there again; the values that it held are not back\.[^]*still asks for[^]*Drop users\.mooring/,
    );
    expect((await gl('model', 'migrate', '--drop', 'users.mooring')).code).toBe(0);
  });
});

describe('on a big table', () => {
  test('killed outright at any moment, it is finished by running it once more', async () => {
    await client.query(
      `INSERT INTO users (id, handle, name) SELECT gen_random_uuid(), 'big_' || n, 'Crew ' || n % 900 FROM generate_series(1, 9000) n`,
    );
    file(`model:
  users:
    fields:
      call: { type: string, maxLength: 40, required: true, unique: true }
      depth: { type: string, default: '7', required: true }
`);
    file('users.call:\n  rows-without-value: { make: handle }\n', 'answers.yaml');
    const args = ['model', 'migrate', '--answers', 'answers.yaml', '--drop', 'posts.lockNumber'];
    let kills = 0;
    const stepsBegun = async () =>
      (await client.query<{ n: number }>(`SELECT count(*)::integer AS n FROM model_steps`)).rows[0]!.n;
    const begun = await stepsBegun();
    // Each gets one step further than the one before; what was done is gone on with.
    for (const further of [1, 2, 3, 4]) {
      const child = spawn(process.execPath, [COMMAND, ...args], { cwd: folder, env: clean(env) });
      const closed = new Promise<number | null>((resolve) => child.once('close', resolve));
      while (child.exitCode === null && (await stepsBegun()) < begun + further)
        await new Promise((resolve) => setTimeout(resolve, 20));
      child.kill('SIGKILL');
      if ((await closed) === null) kills++;
    }
    expect(kills).toBeGreaterThan(0);
    // A backend that was at work for the killed command holds the lock until it notices.
    let done = await gl(...args);
    for (let i = 0; done.err.includes('Another migration') && i < 50; i++) done = await gl(...args);
    expect(done.code).toBe(0);
    const { rows } = await client.query<{ users: number; calls: number }>(
      `SELECT count(*)::integer AS users, count(DISTINCT f_call)::integer AS calls FROM users`,
    );
    expect(rows[0]!.calls).toBe(rows[0]!.users);
    expect(await kinds()).toEqual([]);
    file(`model:
  users:
    fields:
      call: { type: string, maxLength: 40, required: true, unique: true }
      depth: { type: integer, default: 7, required: true }
`);
    expect((await gl('model', 'migrate')).code).toBe(0);
    expect((await client.query(`SELECT DISTINCT f_depth FROM users`)).rows).toEqual([{ f_depth: '7' }]);
  });

  test('two at once: one does it, the other says so and does nothing', async () => {
    file('model:\n  users:\n    fields:\n      pet: { type: string, unique: true, fill: handle }\n');
    const both = await Promise.all([1, 2].map(() => gl('model', 'migrate', '--drop', 'users.call', 'users.depth')));
    expect(both.map(({ code }) => code)).toContain(0);
    for (const { code, err, out } of both)
      expect(code === 0 ? out : err).toMatch(
        /Done: migration|nothing to do|Another migration of the model is under way/,
      );
    expect(await kinds()).toEqual([]);
  });
});

describe('the model as code', () => {
  const work = join(process.cwd(), 'node_modules', '.gather-lane-model-test');
  afterAll(() => rmSync(work, { recursive: true, force: true }));

  test('entities and types compile strictly, and the entities run on the same database', async () => {
    file(`model:
  users:
    fields:
      pet: { type: string, enum: ["it's", '🛶 "x"'] }
      friend: { references: users }
      born: { type: string, format: date, audience: owner }
      berth: { type: string, maxLength: 12, unique: true }
      depth: { type: number, default: 1.5, required: true }
      tied: { type: boolean, default: true, required: true }
      hail: { type: string, default: "it's", required: true }
      seen: { type: string, format: date-time }
  posts:
    fields:
      lockNumber: { type: integer, indexed: true, default: 7, description: 'The lock */ that it is about' }
`);
    expect((await gl('model', 'migrate')).code).toBe(0);
    await client.query(`UPDATE users SET f_pet = 'it''s', f_friend = id, f_born = '2001-02-03' WHERE handle = 'odile'`);
    mkdirSync(work, { recursive: true });
    writeFileSync(join(work, 'package.json'), '{"type":"module"}');
    writeFileSync(join(work, 'entities.ts'), (await gl('model', '--entities')).out);
    writeFileSync(join(work, 'fields.ts'), (await gl('model', '--types')).out);
    writeFileSync(
      join(work, 'use.ts'),
      `import { DataSource } from 'typeorm';
import { entities, Follow, User } from './entities.js';
import { createClient, unwrap, type Post } from '@gather-lane/client';
import type { UserFields } from './fields.js';
export const deep = (post: Post): number | null => post.fields.lockNumber;
export const read = async (): Promise<UserFields['pet']> => {
  const client = createClient({ address: 'http://127.0.0.1:7461' });
  const { items } = unwrap(await client.GET('/v1/posts'));
  const depths: (number | null)[] = items.map(({ fields }) => fields.lockNumber);
  // @ts-expect-error there is no such field
  items[0]?.fields.depth;
  const odile = unwrap(await client.GET('/v1/users/{user}', { params: { path: { user: '@odile' } } }));
  return depths.length > 0 ? odile.fields.pet : null;
};
const source = new DataSource({ type: 'postgres', host: process.env.PGHOST!, port: Number(process.env.PGPORT), username: process.env.PGUSER!, password: process.env.PGPASSWORD!, database: process.env.PGDATABASE!, entities });
await source.initialize();
const odile = await source.manager.findOneOrFail(User, {
  where: { handle: 'odile' },
  relations: { posts: { comments: true }, userTally: true, followsAsFollower: { followee: true }, fields: { friendUser: true } },
});
const pet: UserFields['pet'] = odile.fields.pet;
console.log(JSON.stringify({ pet, born: odile.fields.born, friend: odile.fields.friendUser?.handle, posts: odile.posts?.length, tally: odile.userTally?.posts, follows: odile.followsAsFollower?.map((follow: Follow) => follow.followee?.handle).length }));
const proposed = await source.driver.createSchemaBuilder().log();
console.log(JSON.stringify(proposed.upQueries.map(({ query }) => query)));
await source.destroy();
`,
    );
    const options =
      '--ignoreConfig --target es2023 --module nodenext --moduleResolution nodenext --strict --experimentalDecorators --emitDecoratorMetadata --useDefineForClassFields false --skipLibCheck --types node';
    const compiled = spawnSync(
      process.execPath,
      [
        'node_modules/typescript-7/bin/tsc',
        ...options.split(' '),
        ...['entities.ts', 'fields.ts', 'use.ts'].map((name) => join(work, name)),
      ],
      { encoding: 'utf8' },
    );
    expect(compiled.stdout).toBe('');
    // TypeORM asks about several columns of arrays at once, which pg says it will not take one day.
    const quietly = '--disable-warning=DeprecationWarning';
    const { stdout, stderr } = spawnSync(process.execPath, [quietly, join(work, 'use.js')], {
      encoding: 'utf8',
      env: clean(env),
    });
    expect(stderr).toBe('');
    const [printed, proposed] = stdout.trim().split('\n') as [string, string];
    // On a database that nobody touched, a comparison by TypeORM has nothing to say.
    expect(JSON.parse(proposed)).toEqual([]);
    const found = JSON.parse(printed) as Record<string, unknown>;
    expect(found).toMatchObject({ pet: `it's`, born: '2001-02-03', friend: 'odile', follows: 24 });
    expect(found.posts).toBe(found.tally);
  });

  test('a database that a newer version migrated is refused in clear words', async () => {
    await client.query(
      `INSERT INTO gather_lane_migrations (timestamp, name) VALUES (1999000000000, 'Later1999000000000')`,
    );
    const { code, err } = await gl('model', 'migrate');
    expect([code, err]).toEqual([1, expect.stringContaining('migrated by a newer version of Gather Lane')]);
    await client.query(`DELETE FROM gather_lane_migrations WHERE name LIKE 'Later%'`);
  });
});
