import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { createServer, type AddressInfo } from 'node:net';
import pg from 'pg';
import { makeDatabase, type TestDatabase } from '../../tests/test-database.js';
import { INSTANTS_AS_TEXT } from './instants.js';
import { preparingClient } from './prepared-query.js';
import { allAtOnce, answerTo } from './together.js';

type Sent = Parameters<typeof answerTo>[1] & object;

let database: TestDatabase;
let pool: pg.Pool;
let client: pg.PoolClient;
/** How often it was described on the connection what a statement yields. */
let described: number;
beforeAll(async () => {
  database = await makeDatabase();
  const options = { ...database.address, Client: preparingClient(pg.Client), max: 1, pipeline: true };
  pool = new pg.Pool(options);
});
beforeEach(async () => {
  client = await pool.connect();
  described = 0;
  const { connection } = client as unknown as { connection: pg.Connection };
  for (const event of ['rowDescription', 'noData']) connection.on(event, () => described++);
});
afterEach(() => client.release(true));
afterAll(async () => {
  await pool.end();
  await database.drop();
});

const names = new Map<string, string>();
const ask = async (text: string, values: unknown[] = [], more: Partial<Sent> = {}) => {
  if (!names.has(text)) names.set(text, `statement_${names.size}`);
  return answerTo(client, { name: names.get(text)!, text, values, ...more });
};
const rowsOf = async (...asked: Parameters<typeof ask>) => (await ask(...asked)).rows as unknown[];

const EVERY_KIND = `
  SELECT n, n::text AS "a ""word""", n::int8 AS long, n > 1 AS truth, ARRAY[n] AS list, jsonb_build_object('n', n) AS json,
    NULL::text AS nothing, timestamptz '2026-03-04 05:06:07.089Z' AS instant
  FROM generate_series(1, $1::int) n`;
const kinds = (n: number) => ({
  n,
  'a "word"': String(n),
  'long': String(n),
  'truth': n > 1,
  'list': [n],
  'json': { n },
  'nothing': null,
  'instant': new Date('2026-03-04T05:06:07.089Z'),
});

test('rows are the same each time, and described once on a connection', async () => {
  for (let round = 0; round < 3; round++) expect(await rowsOf(EVERY_KIND, [2])).toStrictEqual([kinds(1), kinds(2)]);
  expect(described).toBe(1);
  const { fields, command, rowCount } = await ask(EVERY_KIND, [2]);
  expect([fields.map(({ name }) => name), command, rowCount]).toEqual([Object.keys(kinds(1)), 'SELECT', 2]);
  expect(await rowsOf(EVERY_KIND, [0])).toEqual([]);
});

test('several that are sent before the first was answered each get their rows', async () => {
  const sent = [1, 0, 3, 2].map((n) => rowsOf(EVERY_KIND, [n]));
  expect((await Promise.all(sent)).map((rows) => rows.length)).toEqual([1, 0, 3, 2]);
});

test('instants come as text where that is asked for', async () => {
  const text = `SELECT timestamptz '2026-03-04 05:06:07.089Z' AS at`;
  for (let round = 0; round < 2; round++)
    expect(await rowsOf(text, [], { types: INSTANTS_AS_TEXT })).toEqual([{ at: '2026-03-04T05:06:07.089Z' }]);
});

test('what yields no rows is not described again either, and says how many it wrote', async () => {
  await client.query(`CREATE TEMP TABLE written (n int)`);
  const insert = `INSERT INTO written SELECT generate_series(1, $1::int)`;
  for (const n of [2, 3]) {
    const { rows, rowCount, command } = await ask(insert, [n]);
    expect([rows, rowCount, command]).toEqual([[], n, 'INSERT']);
  }
  expect(described).toBe(1);
});

test('one that fails fails alone, and is good again with other values', async () => {
  const text = `SELECT 6 / $1::int AS share`;
  expect(await rowsOf(text, [3])).toEqual([{ share: 2 }]);
  const sent = [1, 0, 2].map((n) => rowsOf(text, [n]));
  expect(await Promise.allSettled(sent)).toMatchObject([
    { value: [{ share: 6 }] },
    { reason: { code: '22012' } },
    { value: [{ share: 3 }] },
  ]);
});

test('a value that cannot be read, and one that cannot be sent, are errors of that call', async () => {
  const unread = {
    getTypeParser: () => (text: string) => {
      if (text === '13') throw new Error('not that one');
      return text;
    },
  } as unknown as typeof INSTANTS_AS_TEXT;
  const text = `SELECT $1::int AS n`;
  for (let round = 0; round < 2; round++) {
    await expect(rowsOf(text, [13], { types: unread })).rejects.toThrow('not that one');
    expect(await rowsOf(text, [12], { types: unread })).toEqual([{ n: '12' }]);
  }
  const loop: { self?: object } = {};
  loop.self = loop;
  for (const statement of [`SELECT $1::jsonb AS a`, `SELECT $1::jsonb AS b`]) {
    const sent = [{ n: 1 }, loop, { n: 2 }, loop].map((value) => rowsOf(statement, [value]));
    expect((await Promise.allSettled(sent)).map(({ status }) => status === 'fulfilled')).toEqual([
      true,
      false,
      true,
      false,
    ]);
    await expect(rowsOf(statement, [loop])).rejects.toThrow('circular');
    expect(await rowsOf(statement, [null])).toHaveLength(1);
  }
});

test('of several that are sent at once each is answered once, whatever becomes of the others', async () => {
  client.release();
  const texts = { good: `SELECT $1::int AS n`, bad: `SELECT $1::jsonb AS j` };
  const loop: unknown[] = [];
  loop.push({ loop });
  const queries = [1, loop, 2, 3].map((value) => {
    const text = value === loop ? texts.bad : texts.good;
    return { name: text.slice(7, 15), text, values: [value] };
  });
  const heard: number[] = [];
  const outcomes = await allAtOnce(pool, queries, (i) => heard.push(i));
  expect(outcomes).toEqual([
    { rows: [{ n: 1 }] },
    { error: expect.any(TypeError) },
    { rows: [{ n: 2 }] },
    { rows: [{ n: 3 }] },
  ]);
  expect(heard).toEqual([0, 2, 3]);
  client = await pool.connect();
});

test('a result that would change is refused by the database, not misread', async () => {
  await client.query(`CREATE TEMP TABLE shaped AS SELECT 1 AS a, 2 AS b`);
  const text = `SELECT * FROM shaped`;
  expect(await rowsOf(text)).toEqual([{ a: 1, b: 2 }]);
  await client.query(`ALTER TABLE shaped DROP COLUMN a`);
  await expect(rowsOf(text)).rejects.toMatchObject({ code: '0A000' });
});

test('each connection asks for itself', async () => {
  expect(await rowsOf(`SELECT 1 AS one`)).toEqual([{ one: 1 }]);
  client.release(true);
  client = await pool.connect();
  expect(await rowsOf(`SELECT 1 AS one`)).toEqual([{ one: 1 }]);
});

test('a database that goes away right after it took a connection, in the same packet, ends nothing but that', async () => {
  const message = (kind: string, ...parts: (string | Buffer)[]) => {
    const body = Buffer.concat(parts.map((part) => Buffer.from(part)));
    const length = Buffer.alloc(4);
    length.writeInt32BE(body.length + 4);
    return Buffer.concat([Buffer.from(kind), length, body]);
  };
  const taken = [message('R', Buffer.alloc(4)), message('Z', 'I')];
  const gone = message(
    'E',
    'SFATAL\0',
    'C57P01\0',
    'Mterminating connection due to unexpected postmaster exit\0',
    '\0',
  );
  const server = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.once('data', () => socket.end(Buffer.concat([...taken, gone])));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const pool = new pg.Pool({ host: '127.0.0.1', port, user: 'somebody', Client: preparingClient(pg.Client) });
  pool.on('error', () => undefined);
  const client = await pool.connect();
  await expect(client.query('SELECT 1')).rejects.toThrow();
  client.release(true);
  await pool.end();
  await new Promise((resolve) => server.close(resolve));
});
