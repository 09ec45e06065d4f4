import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { makeDatabase } from '../packages/server/src/tests/test-database.js';
import { clean, COMMAND, run } from './command.js';
import { PLAN } from '../packages/server/src/service/capabilities.js';

let database: Awaited<ReturnType<typeof makeDatabase>>;
let client: pg.Client;
let folder = '';
let env: Record<string, string>;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-data-'));
  database = await makeDatabase();
  env = variables(database.address);
  client = new pg.Client(database.address);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await database.drop();
  rmSync(folder, { recursive: true });
});

const variables = ({
  host,
  port,
  user,
  password,
  database: name,
}: typeof database.address): Record<string, string> => ({
  PGHOST: host,
  PGPORT: String(port),
  PGUSER: user,
  PGPASSWORD: password!,
  PGDATABASE: name,
});
const gl = (...args: string[]) => run(args, { env, cwd: folder });
const count = async (table: string) =>
  (await client.query<{ n: number }>(`SELECT count(*)::integer AS n FROM ${table}`)).rows[0]!.n;

/** Runs a command and kills it outright once a table holds so many rows. */
async function killWhen(args: string[], from: pg.Client, table: string, rows: number): Promise<void> {
  const child = spawn(process.execPath, [COMMAND, ...args], { cwd: folder, env: clean(env) });
  const closed = new Promise((resolve) => child.once('close', resolve));
  for (;;) {
    const { rows: found } = await from.query<{ n: number }>(`SELECT count(*)::integer AS n FROM ${table}`);
    if (found[0]!.n >= rows || child.exitCode !== null) break;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  child.kill('SIGKILL');
  await closed;
}

describe('fill and empty', () => {
  test('fill says what it made, as text and as JSON; empty starts over', async () => {
    const { code, out, err } = await gl('fill', '--users', '20', '--posts', '50', '--seed', '3');
    expect([code, out]).toEqual([
      0,
      expect.stringMatching(
        /^Made 20 users, \d+ follows, \d+ mutes?, 50 posts, \d+ comments, \d+ reactions, \d+ comment reactions? in [\d.]+ s\.\n$/,
      ),
    ]);
    expect(err).toContain('demo’s password');
    const { out: json } = await gl('fill', '--users', '0', '--posts', '10', '--follows', '0', '--json');
    expect(JSON.parse(json)).toMatchObject({ rows: { posts: 10 } });
    expect(await count('posts')).toBe(60);
    expect(await gl('empty')).toMatchObject({ code: 2, err: expect.stringContaining('--yes') });
    expect(await gl('empty', '--yes')).toMatchObject({ code: 0, out: 'The database is empty.\n' });
    expect(await count('users')).toBe(0);
  });

  test('wrong numbers are 2, what cannot be done is 1', async () => {
    expect((await gl('fill', '--users', 'many')).code).toBe(2);
    expect(await gl('fill', '--users', '0')).toMatchObject({ code: 1, err: expect.stringContaining('make users too') });
    expect(await gl('fill', '--again')).toMatchObject({ code: 1, err: expect.stringContaining('no interrupted fill') });
  });

  test('killed in mid-run it leaves whole batches, and --again goes on', async () => {
    const args = [
      'fill',
      '--users',
      '500',
      '--posts',
      '12000',
      '--follows',
      '2000',
      '--comments',
      '0',
      '--reactions',
      '0',
    ];
    await killWhen(args, client, 'posts', 4_000);
    const posts = await count('posts');
    expect(posts % 4_000).toBe(0);
    expect(posts).toBeGreaterThan(0);
    expect(posts).toBeLessThan(12_000);
    // The database may still be finishing the batch that the killed command had sent.
    let again = await gl('fill', '--again');
    for (let tries = 0; again.code !== 0 && again.err.includes('under way') && tries < 50; tries++)
      again = await gl('fill', '--again');
    expect([again.code, again.err]).toEqual([0, '']);
    expect([await count('posts'), await count('users')]).toEqual([12_000, 500]);
    expect(await gl('check', 'data')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/\d+ checks, nothing wrong\./),
    });
    await gl('empty', '--yes');
  });
});

describe('model', () => {
  test('prints tables, one whole, and other forms; a table that is not there is 1', async () => {
    const { code, out } = await gl('model');
    expect([code, out]).toEqual([0, expect.stringMatching(/follows +\d+ +\d+ kB +3 +users +follower_id, followee_id/)]);
    expect((await gl('model', 'comments')).out).toMatch(/comments_parent +FOREIGN KEY \(post_id, parent_id\)/);
    expect(JSON.parse((await gl('model', 'users', '--json')).out)).toMatchObject({
      name: 'users',
      columns: expect.any(Array),
    });
    expect((await gl('model', '--mermaid')).out).toMatch(/^erDiagram/);
    expect((await gl('model', '--sql')).out).toContain('CREATE TRIGGER comments_inserted');
    expect(await gl('model', 'moons')).toMatchObject({ code: 1, err: expect.stringContaining('choose one of') });
  });
});

describe('check data', () => {
  test('exits 1 with a table, an example and the query of what is wrong, and mends it', async () => {
    await gl('fill', '--users', '20', '--posts', '50');
    await client.query(
      `UPDATE user_tallies SET followers = followers + 1 WHERE user_id = (SELECT id FROM users LIMIT 1)`,
    );
    const wrong = await gl('check', 'data');
    expect(wrong.code).toBe(1);
    expect(wrong.out).toMatch(/user-tallies +1 +the counts of a user/);
    expect(wrong.out).not.toContain('SELECT');
    expect((await gl('check', 'data', '--sql')).out).toMatch(/^SELECT .*\n[^]*LEFT JOIN \(SELECT/m);
    const json = await gl('check', 'data', '--json');
    expect([json.code, JSON.parse(json.out)]).toEqual([
      1,
      expect.objectContaining({
        findings: [
          expect.objectContaining({ name: 'user-tallies', count: 1, query: expect.stringContaining('SELECT') }),
        ],
      }),
    ]);
    expect(await gl('check', 'data', '--repair')).toMatchObject({ code: 0, out: expect.stringContaining('mended') });
    expect(await gl('check', 'data', '--all')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/self-follows +0/),
    });
  });
});

describe('export and import', () => {
  test('export writes files and a manifest, import reads them into another database, and says what it skipped', async () => {
    const other = await makeDatabase();
    const there = { env: variables(other.address), cwd: folder };
    const { code, out } = await gl('export', 'kept');
    expect([code, out]).toEqual([0, expect.stringMatching(/users +20 +users\.ndjson/)]);
    const names = PLAN.exported.map(({ name }) => `${name}.ndjson`);
    expect(readdirSync(join(folder, 'kept')).sort()).toEqual([...names, 'manifest.json'].sort());
    expect(await run(['import', 'kept'], there)).toMatchObject({ code: 0, out: expect.stringMatching(/posts +50 +0/) });
    expect(JSON.parse((await run(['import', 'kept', '--json'], there)).out)).toEqual(
      expect.arrayContaining([{ table: 'posts', made: 0, skipped: 50 }]),
    );
    expect((await run(['check', 'data'], there)).code).toBe(0);
    const damaged = join(folder, 'kept/posts.ndjson');
    writeFileSync(damaged, readFileSync(damaged, 'utf8').replace('{', '['));
    expect(await run(['import', 'kept'], there)).toMatchObject({
      code: 1,
      err: expect.stringMatching(/posts\.ndjson, line 1 is damaged/),
    });
    await other.drop();
  });

  test('killed in mid-run, an import keeps whole batches and can be run again', async () => {
    await gl('fill', '--users', '200', '--posts', '12000', '--comments', '0', '--follows', '0', '--reactions', '0');
    await gl('export', 'large');
    const other = await makeDatabase();
    const there = new pg.Client(other.address);
    await there.connect();
    const mine = env;
    env = variables(other.address);
    await killWhen(['import', 'large'], there, 'posts', 1);
    // One batch, or both where the second was in before the command was gone.
    expect([10_000, 12_050]).toContain((await there.query(`SELECT FROM posts`)).rowCount);
    expect((await gl('import', 'large')).code).toBe(0);
    expect((await there.query(`SELECT FROM posts`)).rowCount).toBe(12_050);
    env = mine;
    await there.end();
    await other.drop();
  });

  test('--csv writes one table to standard output; usage that makes no sense is 2', async () => {
    const { code, out } = await gl('export', '--csv', 'users');
    expect([code, out.split('\n')[0]]).toEqual([
      0,
      'id,handle,name,bio,version,created_at,audience,moderator,erased_at,picture_id,picture_link',
    ]);
    expect(await gl('export', '--csv', 'moons')).toMatchObject({
      code: 1,
      err: expect.stringContaining('choose one of'),
    });
    expect((await gl('export')).code).toBe(2);
    expect((await gl('export', 'x', '--csv', 'users')).code).toBe(2);
  });
});
