import {
  appendFileSync,
  chmodSync,
  cpSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import sharp from 'sharp';
import { makeDatabase, urlOf } from '../packages/server/src/tests/test-database.js';
import { run, start, type Started } from './command.js';

// The command on a data folder with a cluster of its own, as somebody has it who runs no server.

/** A new folder that the account of the cluster may pass through. */
function openFolder(prefix: string): string {
  const made = mkdtempSync(prefix);
  chmodSync(made, 0o711);
  return made;
}
const folder = openFolder(join(tmpdir(), 'gather-lane-backup-'));
const backup = join(folder, 'backup');
let service: Started;
let token: string;
beforeAll(async () => {
  service = await start([], { cwd: folder });
  const account = { handle: 'ingrid', name: 'Ingrid', email: 'ingrid@gather.example', password: 'kept-for-later' };
  await call('POST', '/v1/users', account);
  const { json } = await call('POST', '/v1/sessions', { login: 'ingrid', password: account.password });
  token = json.accessToken as string;
});
afterAll(async () => {
  await service.stop();
  rmSync(folder, { recursive: true, force: true });
});

async function call(method: string, path: string, body?: object | FormData, at = service) {
  const isForm = body instanceof FormData;
  const reply = await fetch(at.address + path, {
    method,
    headers: {
      ...(token && { authorization: `Bearer ${token}` }),
      ...(body && !isForm && { 'content-type': 'application/json' }),
    },
    ...(body && { body: isForm ? body : JSON.stringify(body) }),
  });
  const text = await reply.text();
  return { status: reply.status, json: JSON.parse(text || '{}') as Record<string, unknown> };
}

/** A post with a picture of its own. @returns its id, once it was answered */
async function postWithPicture(n: number): Promise<string> {
  const create = { width: 64, height: 64, channels: 3, background: { r: n % 256, g: n >> 8, b: 90 } } as const;
  const form = new FormData();
  form.append('file', new Blob([new Uint8Array(await sharp({ create }).png().toBuffer())]), 'shade.png');
  const { json: picture } = await call('POST', '/v1/media', form);
  const { status, json } = await call('POST', '/v1/posts', {
    body: `Shade ${n}`,
    media: [{ id: picture.id, alt: 'A shade' }],
  });
  expect(status).toBe(201);
  return json.id as string;
}

const backUp = (to = backup) => run(['backup', to], { cwd: folder });
const restore = (from: string, cwd: string) => run(['restore-backup', from], { cwd });
const emptyFolder = () => openFolder(join(folder, 'restored-'));

describe('a back-up', () => {
  test('that is made while people write holds all that was answered before it began, with every picture that it shows', async () => {
    const made: string[] = [];
    let goesOn = true;
    const writing = Array.from({ length: 4 }, async (_, writer) => {
      for (let n = writer; goesOn; n += 4) {
        const id = await postWithPicture(n);
        made.push(id);
        // Pictures go as well while they are copied.
        if (n % 5 === 0) expect((await call('DELETE', `/v1/posts/${id}`)).status).toBe(204);
      }
    });
    while (made.length < 20) await new Promise((resolve) => setImmediate(resolve));
    const before = [...made];
    const { code, out, err } = await backUp();
    goesOn = false;
    await Promise.all(writing);
    expect([code, err]).toEqual([0, '']);
    expect(out).toMatch(/Backed up to .*: the database, and \d+ files of pictures\./);
    const restored = emptyFolder();
    const said = await restore(backup, restored);
    expect([said.code, said.err]).toEqual([0, '']);
    expect(said.out).toMatch(/Restored to \.gather-lane, as it was on .* UTC\.\n\d+ checks, nothing wrong\./);
    const there = await start([], { cwd: restored });
    try {
      const posts = new Map<string, { media: { url: string }[] }>();
      for (let next: unknown = ''; next !== null;) {
        const { json } = await call(
          'GET',
          `/v1/users/@ingrid/posts?limit=100${next ? `&after=${String(next)}` : ''}`,
          undefined,
          there,
        );
        for (const post of json.items as { id: string; media: { url: string }[] }[]) posts.set(post.id, post);
        next = json.next ?? null;
      }
      const gone = await Promise.all(
        before.filter((id) => !posts.has(id)).map(async (id) => (await call('GET', `/v1/posts/${id}`)).status),
      );
      // What is missing was deleted by its author.
      expect(gone.filter((status) => status !== 410 && status !== 404)).toEqual([]);
      expect(posts.size).toBeGreaterThan(10);
      for (const { media } of posts.values())
        expect((await fetch(there.address + new URL(media[0]!.url).pathname)).status).toBe(200);
    } finally {
      await there.stop();
    }
  });

  test('is for its owner alone, and holds no operator key', () => {
    expect(statSync(backup).mode & 0o077).toBe(0);
    expect(statSync(join(backup, 'backup.json')).mode & 0o777).toBe(0o600);
    const names = readdirSync(backup, { recursive: true, encoding: 'utf8' });
    expect(names.filter((name) => name.includes('operator'))).toEqual([]);
    const key = readFileSync(service.operatorKey, 'utf8').trim();
    expect(readFileSync(join(backup, 'backup.json'), 'utf8')).not.toContain(key);
  });

  test('goes into a folder that is empty, and nowhere else', async () => {
    const before = readdirSync(backup);
    expect(await backUp()).toMatchObject({ code: 1, err: expect.stringContaining('is not empty') });
    expect(readdirSync(backup)).toEqual(before);
  });

  test('is restored where nothing is, and what is there stays', async () => {
    const data = join(folder, '.gather-lane');
    expect(await restore(backup, folder)).toMatchObject({ code: 1, err: expect.stringContaining('uses') });
    const taken = emptyFolder();
    cpSync(join(data, 'operator.key'), join(taken, '.gather-lane', 'media', 'x'), { recursive: true });
    expect(await restore(backup, taken)).toMatchObject({
      code: 1,
      err: expect.stringContaining('holds pictures already'),
    });
    expect(existsSync(join(taken, '.gather-lane', 'media', 'x'))).toBe(true);
    for (const [name, value] of [
      ['GATHER_LANE_DATABASE_URL', 'postgres://weir/cut'],
      ['PGHOST', 'weir'],
    ] as const) {
      const refused = await run(['restore-backup', backup], { cwd: emptyFolder(), env: { [name]: value } });
      expect([refused.code, refused.err]).toEqual([1, expect.stringContaining('a server of yours')]);
    }
  });

  test.each([
    ['was not finished', (at: string) => rmSync(join(at, 'backup.json')), 'is not there'],
    [
      'says nothing that is known',
      (at: string) => writeFileSync(join(at, 'backup.json'), '{"format":"x"}'),
      'does not say what a back-up is',
    ],
    [
      'is of a newer version',
      (at: string) => edit(join(at, 'backup.json'), '"formatVersion": 1', '"formatVersion": 2'),
      'a newer version',
    ],
    ['was changed', (at: string) => appendFileSync(join(at, 'database', 'PG_VERSION'), '\n'), 'PG_VERSION'],
    ['lacks a file', (at: string) => rmSync(join(at, 'database', 'global', 'pg_control')), 'pg_control'],
  ])('that %s is refused, and nothing of it is kept', async (_, damage, says) => {
    const damaged = join(emptyFolder(), 'backup');
    cpSync(backup, damaged, { recursive: true });
    damage(damaged);
    const cwd = emptyFolder();
    expect(await restore(damaged, cwd)).toMatchObject({ code: 1, err: expect.stringContaining(says) });
    const left = existsSync(join(cwd, '.gather-lane')) ? readdirSync(join(cwd, '.gather-lane')) : [];
    expect(left).toEqual([]);
  });

  test('of a server of one’s own is that server’s matter: the commands for it are said', async () => {
    const { address, drop } = await makeDatabase();
    const env = { GATHER_LANE_DATABASE_URL: urlOf(address) };
    const elsewhere = join(folder, "who's elsewhere");
    const { code, err } = await run(['backup', elsewhere], { cwd: emptyFolder(), env });
    expect([code, existsSync(elsewhere)]).toEqual([1, false]);
    expect(err).toMatch(/pg_basebackup -h \S+ -p \d+ -U postgres -D .*elsewhere/);
    // To be pasted into a shell as it is.
    expect(err).toContain(` -D '${folder}/who'\\''s elsewhere' -X stream`);
    expect(err).not.toContain(address.password!);
    await drop();
  });
});

function edit(path: string, from: string, to: string): void {
  writeFileSync(path, readFileSync(path, 'utf8').replace(from, to));
}

describe('a log that is kept', () => {
  const env = { GATHER_LANE_DATABASE_KEEP_LOG: 'log' };
  let cwd: string;
  const made: { id: string; begun: number; answered: number }[] = [];
  let instant: Date;
  const onward = (to: string, ...more: string[]) =>
    run(['restore-backup', join(cwd, 'backup'), ...more], {
      cwd: to,
      env: { GATHER_LANE_DATABASE_KEEP_LOG: join(cwd, 'log') },
    });
  let reader: string;
  const statuses = async (at: string) => {
    const there = await start([], { cwd: at });
    const outer = token;
    token = reader;
    try {
      return await Promise.all(
        made.map(async ({ id }) => (await call('GET', `/v1/posts/${id}`, undefined, there)).status),
      );
    } finally {
      token = outer;
      await there.stop();
    }
  };

  beforeAll(async () => {
    cwd = emptyFolder();
    const [outer, outerToken] = [service, token];
    service = await start([], { cwd, env });
    token = '';
    const account = { handle: 'jorun', name: 'Jorun', email: 'jorun@gather.example', password: 'kept-for-later' };
    await call('POST', '/v1/users', account);
    const session = await call('POST', '/v1/sessions', { login: 'jorun', password: account.password });
    token = reader = session.json.accessToken as string;
    let goesOn = true;
    const writing = Array.from({ length: 3 }, async (_, writer) => {
      for (let n = writer; goesOn; n += 3) {
        const begun = Date.now();
        const id = await postWithPicture(n);
        made.push({ id, begun, answered: Date.now() });
      }
    });
    const more = async (n: number) => {
      const enough = made.length + n;
      while (made.length < enough) await new Promise((resolve) => setImmediate(resolve));
    };
    await more(5);
    expect((await run(['backup', join(cwd, 'backup')], { cwd, env })).code).toBe(0);
    await more(15);
    instant = new Date();
    await more(15);
    goesOn = false;
    await Promise.all(writing);
    await service.stop();
    [service, token] = [outer, outerToken];
  });

  test('is replayed up to an instant: all acts until then, none that began later, and each picture that they show', async () => {
    const to = emptyFolder();
    const said = await onward(to, '--until', instant.toISOString(), '--pictures', join(cwd, '.gather-lane', 'media'));
    expect([said.code, said.err]).toEqual([0, '']);
    expect(said.out).toMatch(/with all acts up to that of .*Z\.\n\d+ checks, nothing wrong\./);
    const found = await statuses(to);
    const of = (holds: (post: (typeof made)[number]) => boolean) => found.filter((_, i) => holds(made[i]!));
    const before = of(({ answered }) => answered < instant.getTime());
    const after = of(({ begun }) => begun > instant.getTime());
    expect([before.length >= 15, new Set(before)]).toEqual([true, new Set([200])]);
    expect([after.length >= 10, new Set(after)]).toEqual([true, new Set([404])]);
  });

  test('is replayed whole where no instant is named', async () => {
    const to = emptyFolder();
    const said = await onward(to, '--log', '--pictures', join(cwd, '.gather-lane', 'media'));
    expect([said.code, said.err]).toEqual([0, '']);
    expect(new Set(await statuses(to))).toEqual(new Set([200]));
    // Each copy goes on by a timeline of its own, so that both may keep their log there.
    const names = readdirSync(join(cwd, 'log'));
    for (const timeline of ['00000002', '00000003']) {
      expect(names).toContain(`${timeline}.history`);
      expect(names.filter((name) => new RegExp(`^${timeline}[0-9A-F]{16}$`).test(name))).not.toEqual([]);
    }
    expect(names.filter((name) => name.endsWith('.part'))).toEqual([]);
  });

  test.each([
    ['2000-01-01T00:00:00Z', 'take one from before, or a later instant'],
    ['2999-01-01T00:00:00Z', 'does not reach 2999-01-01'],
    ['yesterday', 'is no instant with a time zone'],
    ['2026-02-30T09:00:00Z', 'is no instant with a time zone'],
    ['2026-01-01T00:00:00', 'is no instant with a time zone'],
  ])('to %s is refused, and nothing of it is kept', async (until, says) => {
    const to = emptyFolder();
    expect(await onward(to, '--until', until)).toMatchObject({ code: 1, err: expect.stringContaining(says) });
    const left = existsSync(join(to, '.gather-lane')) ? readdirSync(join(to, '.gather-lane')) : [];
    expect(left.filter((name) => name !== 'pg.log')).toEqual([]);
  });

  test('is kept by a server too that outlived a killed service which kept none', async () => {
    const at = emptyFolder();
    await (await start([], { cwd: at })).stop('SIGKILL');
    const next = await start([], { cwd: at, env });
    expect(next.said()).toContain('it kept its log elsewhere or not at all, and is started again');
    await next.stop('SIGKILL');
    const third = await start([], { cwd: at, env });
    expect(third.said()).toContain('and is used again');
    expect(await third.stop()).toBe(0);
    expect(readdirSync(join(at, 'log')).filter((name) => /^[0-9A-F]{24}$/.test(name))).not.toEqual([]);
  });

  test('of another database is neither written on nor replayed', async () => {
    const refused = await run(['restore-backup', backup, '--log', join(cwd, 'log')], { cwd: emptyFolder() });
    expect(refused).toMatchObject({ code: 1, err: expect.stringContaining('of another database than the back-up') });
    const other = emptyFolder();
    const started = await run(['start'], { cwd: other, env: { GATHER_LANE_DATABASE_KEEP_LOG: join(cwd, 'log') } });
    expect(started).toMatchObject({ code: 1, err: expect.stringContaining('holds the log of another database') });
    const none = await run(['restore-backup', backup, '--log'], { cwd: emptyFolder() });
    expect(none).toMatchObject({ code: 1, err: expect.stringContaining('No log is kept here') });
  });
});
