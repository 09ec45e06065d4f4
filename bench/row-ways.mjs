// Three ways of hearing from the database which rows a call changed, each on and off: what they cost the writes, and what they tell.
import { mkdtempSync, rmSync } from 'node:fs';
import pg from 'pg';
import { makeDataFolder, startCluster } from '../packages/server/dist/index.js';
import { median } from './load.mjs';
import { printTable } from './table.mjs';

const ROUNDS = 7;
const WRITES = 3_000;
const TABLES = ['orders', 'order_lines', 'order_counts'];

/** An order of three lines whose count a trigger keeps, and every third one deleted, with its lines. */
const MODEL = `
  CREATE TABLE orders (id integer PRIMARY KEY, who text NOT NULL, secret text NOT NULL);
  CREATE TABLE order_lines (order_id integer REFERENCES orders ON DELETE CASCADE, n integer, what text, PRIMARY KEY (order_id, n));
  CREATE TABLE order_counts (who text PRIMARY KEY, orders integer NOT NULL);
  INSERT INTO order_counts VALUES ('ann', 0);
  CREATE FUNCTION count_orders() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
    UPDATE order_counts SET orders = orders + (SELECT count(*) FROM made) WHERE who = 'ann'; RETURN NULL; END $$;
  CREATE TRIGGER count_orders AFTER INSERT ON orders REFERENCING NEW TABLE AS made FOR EACH STATEMENT EXECUTE FUNCTION count_orders();`;
const NOTICE = `
  CREATE FUNCTION tell() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
    RAISE NOTICE USING MESSAGE = coalesce((to_jsonb(OLD) - 'secret')::text, '-'), DETAIL = coalesce((to_jsonb(NEW) - 'secret')::text, '-'), TABLE = TG_TABLE_NAME;
    RETURN NULL; END $$;`;
const LOG = `
  CREATE UNLOGGED TABLE told (n bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, xid xid8, name text, before jsonb, after jsonb);
  CREATE FUNCTION tell() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
    INSERT INTO told (xid, name, before, after) VALUES (pg_current_xact_id(), TG_TABLE_NAME, to_jsonb(OLD) - 'secret', to_jsonb(NEW) - 'secret');
    RETURN NULL; END $$;`;
const triggers = TABLES.map(
  (table) => `CREATE TRIGGER "0_tell" AFTER INSERT OR UPDATE OR DELETE ON ${table} FOR EACH ROW
    WHEN (current_setting('ours.traced', true) = 'on') EXECUTE FUNCTION tell();`,
).join('\n');

const WAYS = {
  'nothing': { make: '', traced: false },
  'notices, off': { make: NOTICE + triggers, traced: false },
  'notices, on': { make: NOTICE + triggers, traced: true },
  'a log table, on': { make: LOG + triggers, traced: true, read: `DELETE FROM told RETURNING *` },
  'a decoding slot, off': {
    make: TABLES.map((t) => `ALTER TABLE ${t} REPLICA IDENTITY FULL;`).join(''),
    slot: true,
    traced: false,
  },
  'a decoding slot, on': {
    make: TABLES.map((t) => `ALTER TABLE ${t} REPLICA IDENTITY FULL;`).join(''),
    slot: true,
    traced: false,
    read: `SELECT * FROM pg_logical_slot_get_changes('ways', NULL, NULL)`,
  },
};

/** Each begins once in so many rounds: what is first after a pause is faster. */
const turned = (list, by) => [...list.slice(by % list.length), ...list.slice(0, by % list.length)];

const folder = mkdtempSync('/var/tmp/gather-lane-ways-');
makeDataFolder(folder);
let cluster = await startCluster(folder, () => undefined);
const admin = async (sql) => {
  const client = new pg.Client(cluster.address);
  await client.connect();
  await client.query(sql);
  await client.end();
};
const found = {};
try {
  for (const level of ['replica', 'logical']) {
    await admin(`ALTER SYSTEM SET wal_level = ${level}`);
    await cluster.stop();
    cluster = await startCluster(folder, () => undefined);
    for (let round = 0; round < ROUNDS; round++)
      for (const [name, way] of turned(Object.entries(WAYS), round)) {
        if (Boolean(way.slot) !== (level === 'logical')) continue;
        const result = await write(way);
        if (round > 0) (found[name] ??= []).push(result);
      }
  }
} finally {
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
const base = median(found.nothing.map(({ perSecond }) => perSecond));
printTable(
  'Transactions a second by one caller: an order with three lines, and every third deleted',
  ['way', 'a second', 'of nothing', 'bytes of log each', 'rows told', 'of a rolled back one'],
  Object.entries(found).map(([name, results]) => {
    const of = (key) => median(results.map((result) => result[key]));
    return [
      name,
      Math.round(of('perSecond')),
      (of('perSecond') / base).toFixed(2),
      Math.round(of('bytes')),
      of('told'),
      of('undone'),
    ];
  }),
);

async function write({ make, traced, slot, read }) {
  await admin(`DROP DATABASE IF EXISTS ways WITH (FORCE)`);
  await admin(`CREATE DATABASE ways`);
  const client = new pg.Client({ ...cluster.address, database: 'ways', options: traced ? '-c ours.traced=on' : '' });
  await client.connect();
  let told = 0;
  client.on('notice', () => told++);
  await client.query(MODEL + make);
  if (slot) await client.query(`SELECT pg_create_logical_replication_slot('ways', 'test_decoding')`);
  const heard = async () => {
    if (!read) return;
    const { rows } = await client.query(read);
    told += slot ? rows.filter(({ data }) => data.startsWith('table')).length : rows.length;
  };
  const position = async () => (await client.query(`SELECT pg_current_wal_lsn() - '0/0'::pg_lsn AS at`)).rows[0].at;
  const from = await position();
  const begun = performance.now();
  for (let n = 0; n < WRITES / 3; n++) {
    await client.query('BEGIN');
    await client.query(`INSERT INTO orders VALUES ($1, 'ann', 'word')`, [n]);
    await client.query(`INSERT INTO order_lines SELECT $1, n, 'rope' FROM generate_series(1, 3) n`, [n]);
    if (n % 3 === 0) await client.query(`DELETE FROM orders WHERE id = $1`, [n]);
    await client.query('COMMIT');
    await heard();
  }
  const seconds = (performance.now() - begun) / 1000;
  const bytes = ((await position()) - from) / (WRITES / 3);
  const rows = told;
  told = 0;
  await client.query('BEGIN');
  await client.query(`INSERT INTO orders VALUES (-1, 'ann', 'word')`);
  await client.query('ROLLBACK');
  await heard();
  if (slot) await client.query(`SELECT pg_drop_replication_slot('ways')`);
  await client.end();
  return { perSecond: WRITES / 3 / seconds, bytes, told: rows, undone: told };
}
