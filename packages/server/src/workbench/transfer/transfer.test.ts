import { createHash } from 'node:crypto';
import { NOTIFICATION_KINDS } from '@gather-lane/core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Writable } from 'node:stream';
import sharp from 'sharp';
import type { DataSource } from 'typeorm';
import { checkData } from '../check/service.js';
import { createDataSource } from '../../service/data-source.js';
import { readUnread } from '../../posts/reading/back-fill.js';
import { loadDemo } from '../demo/load.js';
import { FolderStore } from '../../accounts/media/store.js';
import { makeDatabase } from '../../tests/test-database.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { Cursors } from '../../ground/http/cursors.js';
import { PublicAddress } from '../../ground/http/public-address.js';
import { Notifications } from '../../notifications/list/service.js';
import { Weightings } from '../weighting/service.js';
import { exportAll, exportCsv } from './export.js';
import { MANIFEST } from './manifest.js';
import { importAll } from './import.js';
import { MediaStore } from '../../accounts/media/store.js';
import { Media } from '../../accounts/media/service.js';
import { PLAN } from '../../service/capabilities.js';
import { weightingInForce } from '../../ranking/weighting/in-force.js';

/** Where an import goes: an empty database, and a folder for the pictures. */
interface Target {
  readonly dataSource: DataSource;
  readonly store: FolderStore;
  readonly media: string;
  end(): Promise<void>;
}

async function emptyTarget(): Promise<Target> {
  const { address, drop } = await makeDatabase();
  const dataSource = createDataSource(address, { poolSize: 4 });
  await dataSource.initialize();
  const media = mkdtempSync(join(tmpdir(), 'gather-lane-transfer-media-'));
  return {
    dataSource,
    store: new FolderStore(media),
    media,
    async end() {
      await dataSource.destroy();
      await drop();
      rmSync(media, { recursive: true });
    },
  };
}

/** Small pictures below some of the demo's posts. */
async function addPictures(): Promise<void> {
  const posts = await source.dataSource.query<{ id: string; author_id: string }[]>(
    `SELECT id, author_id FROM posts LIMIT 5`,
  );
  for (const [i, { id, author_id }] of posts.entries()) {
    const create = { width: 400, height: 200, channels: 3, background: { r: 40 * i, g: 120, b: 200 } } as const;
    const upload = await source.house.get(Media).take(author_id, await sharp({ create }).jpeg().toBuffer());
    await source.dataSource.query(
      `INSERT INTO post_pictures (post_id, position, upload_id, alt) VALUES ($1, 0, $2, 'A lock')`,
      [id, upload],
    );
  }
}

let folder = '';
let source: TestService;
let target: Target;
beforeAll(async () => {
  source = await startTestService();
  await loadDemo(source.dataSource, source.house.config, () => undefined);
  await addPictures();
  await source.dataSource.query(`UPDATE users u SET picture_id = p.id FROM uploads p WHERE p.user_id = u.id`);
});
afterAll(async () => {
  await source.stop();
  if (whole !== undefined) rmSync(join(whole, '..'), { recursive: true });
});
beforeEach(async () => {
  folder = join(mkdtempSync(join(tmpdir(), 'gather-lane-transfer-')), 'export');
  target = await emptyTarget();
});
afterEach(async () => {
  await target.end();
  rmSync(join(folder, '..'), { recursive: true });
});

const quiet = () => undefined;
const file = (table: string) => join(folder, `${table}.ndjson`);
/** What a table holds, but for transaction numbers, which mean nothing elsewhere; as one text, which is quicker to compare. */
const contents = async ({ dataSource }: Pick<TestService, 'dataSource'>, table: string) =>
  (
    await dataSource.query<[{ rows: string }]>(
      `SELECT string_agg(row::text, E'\\n' ORDER BY row::text) AS rows FROM (SELECT to_jsonb(t) - '{xid,opened_xid,last_xid}'::text[] AS row FROM ${table} t) r`,
    )
  )[0].rows;
const countOf = async (service: Pick<TestService, 'dataSource'>, table: string) =>
  (await service.dataSource.query<[{ n: number }]>(`SELECT count(*)::integer AS n FROM ${table}`))[0].n;
/** One export, to be copied by the tests that damage theirs. */
let whole: string | undefined;
async function wholeExport(): Promise<string> {
  if (whole !== undefined) return whole;
  const made = join(mkdtempSync(join(tmpdir(), 'gather-lane-transfer-')), 'export');
  await exportAll(source.dataSource, PLAN, made, quiet, source.house.get(MediaStore));
  return (whole = made);
}
/** Edits a file of the export. */
function edit(table: string, change: (lines: string[]) => string[]): void {
  const lines = change(readFileSync(file(table), 'utf8').trimEnd().split('\n'));
  writeFileSync(file(table), lines.join('\n') + '\n');
}

describe('export and import', () => {
  test('an export from before threads and spans gets both as new texts would, and pictures that it makes up are not shown', async () => {
    cpSync(await wholeExport(), folder, { recursive: true });
    const manifest = JSON.parse(readFileSync(join(folder, MANIFEST), 'utf8')) as {
      tables: { name: string; sha256: string }[];
    };
    for (const [table, later] of [
      ['posts', ['spans', 'reading']],
      ['comments', ['spans', 'reading', 'under_id', 'depth']],
    ] as const) {
      edit(table, (lines) =>
        lines.map((line) => {
          const row = JSON.parse(line) as Record<string, unknown>;
          expect(Object.keys(row)).not.toContain('pictures');
          const kept = Object.entries(row).filter(([key]) => !(later as readonly string[]).includes(key));
          return JSON.stringify({
            ...Object.fromEntries(kept),
            ...(table === 'posts' && { pictures: [{ id: 'none' }] }),
          });
        }),
      );
      const listed = manifest.tables.find(({ name }) => name === table)!;
      listed.sha256 = createHash('sha256')
        .update(readFileSync(file(table)))
        .digest('hex');
    }
    writeFileSync(join(folder, MANIFEST), JSON.stringify(manifest));
    await importAll(target.dataSource, PLAN, folder, quiet, target.store);
    const threads = async ({ dataSource }: Pick<TestService, 'dataSource'>) =>
      dataSource.query<object[]>(`SELECT id, parent_id, under_id, depth, spans FROM comments ORDER BY id`);
    expect(await threads(target)).toEqual(await threads(source));
    expect(await contents(target, 'post_mentions')).toEqual(await contents(source, 'post_mentions'));
    const found = await checkData(target.dataSource, { plan: PLAN, repair: false, model: [], progress: quiet });
    expect(found.filter(({ count }) => count > 0)).toEqual([]);
  });

  test('an import into an empty service gives equal tables, derived ones too', async () => {
    await source.dataSource.query(`UPDATE posts SET body = $1 WHERE id = (SELECT id FROM posts LIMIT 1)`, [
      'tab\tquote"back\\slash\nline 👨‍👩‍👧‍👦 \u2028',
    ]);
    await source.dataSource.query(
      `UPDATE comments SET deleted_at = now() WHERE id IN (SELECT id FROM comments LIMIT 20)`,
    );
    await readUnread(source.dataSource);
    const manifest = await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    expect(manifest.tables.map((table) => [table.name, table.rows])).toEqual(
      expect.arrayContaining([
        ['users', expect.any(Number)],
        ['posts', 900],
      ]),
    );
    const results = await importAll(target.dataSource, PLAN, folder, quiet, target.store);
    expect(results.find((result) => result.table === 'posts')).toEqual({ table: 'posts', made: 900, skipped: 0 });
    for (const table of [
      ...PLAN.exported.map(({ name }) => name),
      'user_tallies',
      'post_tallies',
      'post_commenters',
      'comment_tallies',
      'comment_people',
      'post_mentions',
      'comment_mentions',
      'standings',
    ])
      expect([table, await contents(target, table)]).toEqual([table, await contents(source, table)]);
    // The pictures are there with their files.
    const names = (media: string) => readdirSync(media, { recursive: true }).sort();
    expect(names(target.media)).toEqual(names(join(source.folder, 'media')));
    expect(names(target.media).length).toBeGreaterThan(10);
    expect(
      (await checkData(target.dataSource, { plan: PLAN, repair: false, model: [], progress: quiet })).filter(
        (finding) => finding.count > 0,
      ),
    ).toEqual([]);
  });

  test('batches of posts and reactions that are read in beside each other are counted as one by one, also posts out of sight', async () => {
    await source.dataSource.query(
      `UPDATE posts SET deleted_at = now(), removal = 'owner' WHERE id IN (SELECT id FROM posts ORDER BY id LIMIT 40)`,
    );
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    await importAll(target.dataSource, PLAN, folder, quiet, target.store, 70);
    for (const table of ['posts', 'reactions', 'user_tallies', 'post_tallies', 'standings'])
      expect([table, await contents(target, table)]).toEqual([table, await contents(source, table)]);
    expect(
      (await checkData(target.dataSource, { plan: PLAN, repair: false, model: [], progress: quiet })).filter(
        (finding) => finding.count > 0,
      ),
    ).toEqual([]);
  });

  test.each([
    ['posts', 250, 250],
    ['posts', 250, 301],
    ['reactions', 420, 420],
  ])(
    'of %s, the batches before line %i are whole where that is refused, and none of those after it, also where line %i is',
    async (table, line, another) => {
      await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
      const lines = readFileSync(file(table), 'utf8').split('\n');
      const refused = [line, another].map((number) => {
        const { created_at: at } = JSON.parse(lines[number - 1]!) as { created_at: string };
        return `'${at}'`;
      });
      await target.dataSource.query(
        `ALTER TABLE ${table} ADD CONSTRAINT not_then CHECK (created_at NOT IN (${refused.join(', ')}))`,
      );
      await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store, 100)).rejects.toThrow(
        new RegExp(`${table}\\.ndjson, line ${line} is refused: .*not_then.*Nothing of its batch was kept`),
      );
      expect(await countOf(target, table)).toBe(100 * Math.floor((line - 1) / 100));
      await target.dataSource.query(`ALTER TABLE ${table} DROP CONSTRAINT not_then`);
      await importAll(target.dataSource, PLAN, folder, quiet, target.store, 100);
      for (const name of [table, 'user_tallies', 'post_tallies', 'standings'])
        expect([name, await contents(target, name)]).toEqual([name, await contents(source, name)]);
    },
  );

  test('whom a text mentions is found among the blocks of the export, and among the posts of a comment', async () => {
    const own = await startTestService();
    try {
      const [writer, friend, foe] = [await own.user(), await own.user('friend'), await own.user('foe')];
      const body = { body: 'With @friend and @foe' };
      const { json } = await own.call<{ id: string }>('POST', '/v1/posts', { as: writer, body });
      await own.call('POST', `/v1/posts/${json.id}/comments`, { as: writer, body });
      await own.call('PUT', `/v1/blocks/${writer.id}`, { as: foe });
      await exportAll(own.dataSource, PLAN, folder, quiet, own.house.get(MediaStore));
      await importAll(target.dataSource, PLAN, folder, quiet, target.store);
      for (const table of ['post_mentions', 'comment_mentions'])
        expect(await target.dataSource.query(`SELECT user_id FROM ${table}`)).toEqual([{ user_id: friend.id }]);
    } finally {
      await own.stop();
    }
  });

  test('what people were told comes along, with transaction numbers of its own, and marks of before do not', async () => {
    const rows = await source.dataSource.query<{ id: string; n: number }[]>(
      `SELECT user_id AS id, count(*)::integer AS n FROM notifications WHERE NOT seen GROUP BY user_id ORDER BY user_id`,
    );
    expect(rows.length).toBeGreaterThan(5);
    await exportAll(source.dataSource, PLAN, folder, () => undefined, source.house.get(MediaStore));
    await importAll(target.dataSource, PLAN, folder, () => undefined, target.store);
    const [{ wrong }] = await target.dataSource.query<[{ wrong: number }]>(
      `SELECT count(*)::integer AS wrong FROM notifications WHERE NOT pg_visible_in_snapshot(last_xid, pg_current_snapshot()) OR NOT pg_visible_in_snapshot(opened_xid, pg_current_snapshot())`,
    );
    expect(wrong).toBe(0);
    const there = new Notifications(
      target.dataSource,
      new Cursors(target.dataSource),
      new PublicAddress('http://localhost'),
    );
    const here = source.house.get(Notifications);
    const { id, n } = rows[0]!;
    const list = await there.list(id, NOTIFICATION_KINDS, { limit: 100 });
    expect([list.unseen, list.items.filter(({ unseen }) => unseen).length]).toEqual([n, n]);
    const before = await here.list(id, NOTIFICATION_KINDS, { limit: 100 });
    expect(list.items.map(({ at, kind, others }) => [at, kind, others])).toEqual(
      before.items.map(({ at, kind, others }) => [at, kind, others]),
    );
    await expect(there.markSeen(id, before.through)).rejects.toThrow('no `through`');
    await there.markSeen(id, list.through);
    expect(await there.unseen(id)).toEqual({ unseen: 0, more: false });
  });

  test('what is there already is skipped and counted, so that a stopped import can be run again', async () => {
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    await importAll(target.dataSource, PLAN, folder, quiet, target.store);
    await target.dataSource.query(
      `DELETE FROM comments WHERE id IN (SELECT c.id FROM comments c WHERE NOT EXISTS (SELECT FROM comments r WHERE r.parent_id = c.id) LIMIT 7)`,
    );
    const again = await importAll(target.dataSource, PLAN, folder, quiet, target.store);
    expect(again.find((result) => result.table === 'users')).toMatchObject({ table: 'users', made: 0 });
    expect(again.find((result) => result.table === 'comments')).toMatchObject({ made: 7 });
    expect(await contents(target, 'comments')).toEqual(await contents(source, 'comments'));
  });

  test('an import puts the weighting in force that was so where it comes from', async () => {
    const other = await startTestService();
    try {
      await loadDemo(other.dataSource, other.house.config, quiet);
      const weighting = other.house.get(Weightings);
      await weighting.adopt({ halfLifeMs: 7_200_000, weights: { like: 2 } }, { note: 'For quick days', by: 'ingrid' });
      await weighting.build();
      await exportAll(other.dataSource, PLAN, folder, quiet, other.house.get(MediaStore));
      await importAll(target.dataSource, PLAN, folder, quiet, target.store);
      const { id: _, ...there } = await weightingInForce(other.dataSource);
      const kinds = source.house.config.reactions.map(({ name }) => name);
      const here = new Weightings(target.dataSource, target.dataSource, kinds);
      expect(await weightingInForce(target.dataSource)).toMatchObject(there);
      expect(await contents(target, 'standings')).toEqual(await contents(other, 'standings'));
      // As history, it tells what was adopted there and why.
      expect(await here.list()).toMatchObject([{ note: 'As imported' }, { note: 'For quick days', state: 'past' }, {}]);
    } finally {
      await other.stop();
    }
  });

  test('the files are for their owner alone, and a folder with anything in it is refused', async () => {
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    expect([statSync(folder).mode & 0o777, statSync(file('credentials')).mode & 0o777]).toEqual([0o700, 0o600]);
    await expect(exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore))).rejects.toThrow(
      'is not empty',
    );
  });

  test('sessions and signing keys never leave the service', async () => {
    const user = await source.user();
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    const everything = PLAN.exported.map(({ name }) => readFileSync(file(name), 'utf8')).join('');
    expect(PLAN.exported.map(({ name }) => name)).not.toEqual(expect.arrayContaining(['sessions']));
    expect(everything).toContain(user.id);
    expect(everything).not.toMatch(/refresh_hash|secret/);
  });

  const damages: [string, string, (lines: string[]) => string[], RegExp][] = [
    [
      'a line cut short',
      'posts',
      (lines) => lines.with(41, lines[41]!.slice(0, 30)),
      /posts\.ndjson, line 42 is damaged/,
    ],
    ['a line that is no row', 'users', (lines) => lines.with(2, '[1]'), /users\.ndjson, line 3 is no row/],
    [
      'an unknown column',
      'users',
      (lines) => lines.with(0, lines[0]!.replace('"bio"', '"boi"')),
      /line 1: users has no column "boi"/,
    ],
    [
      'a missing column',
      'users',
      (lines) => lines.with(4, lines[4]!.replace(/"handle":"[^"]*",/, '')),
      /line 5: the column "handle" is missing/,
    ],
    [
      'an instant of the future',
      'posts',
      (lines) => lines.with(9, lines[9]!.replace(/"created_at":"\d{4}/, '"created_at":"2999')),
      /line 10: created_at is in the future/,
    ],
    ['a lost line', 'follows', (lines) => lines.slice(1), /is not what was exported/],
    [
      'a changed word',
      'posts',
      (lines) => lines.with(5, lines[5]!.replace(/"body":"/, '"body":"not ')),
      /is not what was exported/,
    ],
  ];
  test.each(damages)(
    '%s stops it before anything is written, with file and line',
    async (_, table, change, message) => {
      cpSync(await wholeExport(), folder, { recursive: true });
      edit(table, change);
      await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow(message);
      expect(await countOf(target, 'users')).toBe(0);
    },
  );

  test('a row that the database refuses stops it with file and line, and nothing of its batch is kept', async () => {
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    await importAll(target.dataSource, PLAN, folder, quiet, target.store);
    await target.dataSource.query(`TRUNCATE users CASCADE`);
    const taken = (
      await source.dataSource.query<[{ handle: string }]>(`SELECT handle FROM users ORDER BY id OFFSET 30 LIMIT 1`)
    )[0].handle;
    await target.dataSource.query(
      `INSERT INTO users (id, handle, name) VALUES (gen_random_uuid(), $1, 'Who took it')`,
      [taken],
    );
    await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow(
      /users\.ndjson, line 31 is refused: .*users_handle_taken.*Nothing of its batch was kept/,
    );
    expect(await countOf(target, 'users')).toBe(1);
  });

  test.each(['follows', 'reactions'])(
    'one of %s that is refused is told, though others are read in beside, and the next import makes it whole',
    async (table) => {
      await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
      const { created_at: at } = JSON.parse(readFileSync(file(table), 'utf8').split('\n')[20]!) as {
        created_at: string;
      };
      await target.dataSource.query(`ALTER TABLE ${table} ADD CONSTRAINT not_then CHECK (created_at <> '${at}')`);
      try {
        await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow(
          new RegExp(`${table}\\.ndjson, line 21 is refused: .*not_then.*Nothing of its batch was kept`),
        );
        expect(await countOf(target, table)).toBe(0);
      } finally {
        await target.dataSource.query(`ALTER TABLE ${table} DROP CONSTRAINT not_then`);
      }
      await importAll(target.dataSource, PLAN, folder, quiet, target.store);
      for (const name of ['follows', 'reactions', 'user_tallies', 'post_tallies', 'standings'])
        expect(await contents(target, name)).toEqual(await contents(source, name));
    },
  );

  test('a folder without a manifest, or of another making, is no export', async () => {
    await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow('this is no export');
    await exportAll(source.dataSource, PLAN, folder, quiet, source.house.get(MediaStore));
    const path = join(folder, 'manifest.json');
    const manifest = JSON.parse(readFileSync(path, 'utf8')) as object;
    for (const [change, message] of [
      [
        { tables: [{ name: 'users', file: '../users.ndjson', rows: 0, sha256: '0'.repeat(64) }] },
        /tables\/0\/file must match/,
      ],
      [{ tables: [{ name: 'users' }] }, /tables\/0 must have required property 'file'/],
      [{ format: 'x' }, /not the manifest/],
      [{ formatVersion: 2 }, /newer version/],
      [{ tables: [{ name: 'moons', file: 'moons.ndjson', rows: 0, sha256: '0'.repeat(64) }] }, /"moons"/],
    ] as const) {
      writeFileSync(path, JSON.stringify({ ...manifest, ...change }));
      await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow(message);
    }
  });

  test('one table as CSV, quoted where it must be', async () => {
    await source.dataSource.query(`UPDATE users SET bio = $1 WHERE handle = 'wren'`, ['says "hm",\nand waits']);
    let text = '';
    const out = new Writable({ write: (chunk: Buffer, _, done) => ((text += chunk.toString()), done()) });
    await exportCsv(source.dataSource, PLAN, 'users', out);
    expect(text.split('\n')[0]).toMatch(/^id,handle,name,bio,version,created_at,/);
    expect(text).toContain('"says ""hm"",\nand waits"');
    await expect(exportCsv(source.dataSource, PLAN, 'sessions', out)).rejects.toThrow(
      'There is no table "sessions" to export',
    );
  });
});

describe('Atom', () => {
  test('holds a user’s latest public posts, escaped, with absolute addresses', async () => {
    const user = await source.user('atomic');
    for (const body of ['<script>alert("&")</script>\nsecond line', 'control \u0008 character', 'x'.repeat(200)])
      await source.call('POST', '/v1/posts', { as: user, body: { body } });
    const { status, headers, json } = await source.call<{ text: string }>('GET', '/v1/users/@atomic/posts.atom');
    expect([status, headers.get('content-type')]).toEqual([200, 'application/atom+xml; charset=utf-8']);
    expect(json.text).toContain('<feed xmlns="http://www.w3.org/2005/Atom">');
    expect(json.text.match(/<entry>/g)).toHaveLength(3);
    expect(json.text).toContain(`<id>urn:uuid:${user.id}</id>`);
    expect(json.text).not.toContain('<script>');
    // eslint-disable-next-line no-control-regex
    expect(json.text).not.toMatch(/\u0008/);
    expect(json.text).toContain(`${source.address}/posts/`);
    expect((await source.call('GET', '/v1/users/@nobody_here/posts.atom')).status).toBe(404);
  });
});

test('own fields come along, references among users too, and need their model file on the other side', async () => {
  const model = {
    users: { fields: { friend: { references: 'users' }, order: { type: 'string', enum: [`it's`, '🛶 "x"'] } } },
    posts: { fields: { at: { type: 'string', format: 'date-time' }, lockNumber: { type: 'integer' } } },
  };
  const [own, empty] = [await startTestService({ model }), await startTestService({ model })];
  await loadDemo(own.dataSource, own.house.config, quiet);
  // Everybody's friend is the one after them: half of the references lead to rows that come later.
  await own.dataSource.query(
    `UPDATE users u SET f_friend = n.next FROM (SELECT id, coalesce(lead(id) OVER w, first_value(id) OVER w) AS next FROM users WINDOW w AS (ORDER BY id)) n WHERE n.id = u.id`,
  );
  await exportAll(own.dataSource, PLAN, folder, quiet, own.house.get(MediaStore));
  await expect(importAll(target.dataSource, PLAN, folder, quiet, target.store)).rejects.toThrow(
    /users has no column "f_\w+"\. It is a field of your own: bring its model file here/,
  );
  await importAll(empty.dataSource, PLAN, folder, quiet, empty.house.get(MediaStore));
  for (const table of ['users', 'posts']) expect(await contents(empty, table)).toEqual(await contents(own, table));
  await own.stop();
  await empty.stop();
});
