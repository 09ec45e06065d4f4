import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import type { DataSource } from 'typeorm';
import { makeDatabase, sharedDatabase } from '../tests/test-database.js';
import { createDataSource } from './data-source.js';
import { MIGRATIONS } from './migrations.js';
import { probeDatabase } from '../ground/database/diagnose.js';
import type { DatabaseFault } from '../ground/database/database-fault.js';
import { migrate, migrationState } from '../ground/database/migrate.js';
import { inTransaction } from '../ground/database/transaction.js';
import { PLAN } from './capabilities.js';

let made: Awaited<ReturnType<typeof makeDatabase>>;
let dataSource: DataSource;
beforeAll(async () => {
  made = await makeDatabase();
  dataSource = createDataSource(made.address, { poolSize: 4 });
  await dataSource.initialize();
});
afterAll(async () => {
  await dataSource.destroy();
  await made.drop();
});

const fault = (address: Parameters<typeof probeDatabase>[0]) =>
  probeDatabase(address).then(
    () => 'none',
    (error: DatabaseFault) => [error.part, error.message].join(': '),
  );

describe('a database that cannot be used', () => {
  const admin = async (sql: string) => {
    const client = new pg.Client({ ...made.address });
    await client.connect();
    await client.query(sql);
    await client.end();
  };

  test('says which of host, password, database, right is wrong, and how to mend it', async () => {
    const { address } = made;
    expect(await fault(address)).toBe('none');
    expect(await fault({ ...address, port: 1 })).toMatch(/^host: Nothing listens/);
    expect(await fault({ ...address, host: 'no-such-host.invalid' })).toMatch(/^host: .* has no address/);
    expect(await fault({ ...address, password: 'wrong' })).toMatch(
      /^password: .* refuses the password of role "postgres"/,
    );
    expect(await fault({ ...address, database: 'nowhere' })).toMatch(
      /^database: .* no database "nowhere": create it \(createdb/,
    );
    await admin(`CREATE ROLE narrow LOGIN PASSWORD 'narrow'; REVOKE ALL ON SCHEMA public FROM public`);
    expect(await fault({ ...address, user: 'narrow', password: 'narrow' })).toMatch(
      /^right: .* may not create tables .*GRANT CREATE/,
    );
    await admin(`REVOKE CONNECT ON DATABASE ${address.database} FROM public`);
    expect(await fault({ ...address, user: 'narrow', password: 'narrow' })).toMatch(/^right: .*GRANT CONNECT/);
    await admin(`DROP ROLE narrow`);
  });
});

describe('migrations', () => {
  test('tell a current, an empty, a lagging and a newer database apart', async () => {
    const shared = sharedDatabase();
    const blank = createDataSource({ ...shared, database: 'postgres' }, { poolSize: 2 });
    await blank.initialize();
    expect(await migrationState(blank)).toBe('empty');
    await blank.destroy();
    expect(await migrationState(dataSource)).toBe('current');
    await dataSource.query(`INSERT INTO gather_lane_migrations (timestamp, name) VALUES (1, 'FromTheFuture')`);
    expect(await migrationState(dataSource)).toBe('newer');
    const { name } = MIGRATIONS.at(-1)!;
    await dataSource.query(`DELETE FROM gather_lane_migrations WHERE name IN ('FromTheFuture', $1)`, [name]);
    expect(await migrationState(dataSource)).toBe('pending');
    await dataSource.query(`INSERT INTO gather_lane_migrations (timestamp, name) VALUES ($1, $2)`, [
      /\d+$/.exec(name)![0],
      name,
    ]);
  });

  test('undo themselves one by one, and run again, two services at once', async () => {
    for (const _ of dataSource.migrations) await dataSource.undoLastMigration();
    const left = await dataSource.query<{ relname: string }[]>(
      `SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'v')`,
    );
    expect(left.map((row) => row.relname)).toEqual(['gather_lane_migrations']);
    const functions = await dataSource.query<unknown[]>(
      `SELECT proname FROM pg_proc WHERE pronamespace = 'public'::regnamespace`,
    );
    expect(functions).toEqual([]);
    const second = createDataSource(made.address, { poolSize: 4 });
    await second.initialize();
    await Promise.all([migrate(dataSource), migrate(second)]);
    expect(await migrationState(dataSource)).toBe('current');
    await second.destroy();
  });

  test('every entity reads its table, and every foreign key is indexed with a stated ON DELETE', async () => {
    for (const entity of PLAN.entities)
      await expect(dataSource.manager.find(entity, { take: 1 })).resolves.toEqual(expect.any(Array));
    const bare = await dataSource.query<unknown[]>(
      `
      SELECT c.conname, c.conrelid::regclass FROM pg_constraint c
      WHERE c.contype = 'f' AND c.connamespace = 'public'::regnamespace
        AND ((c.confdeltype = 'a' AND c.conname <> ALL ($1)) OR NOT EXISTS (
          SELECT FROM pg_index i WHERE i.indrelid = c.conrelid AND i.indpred IS NULL
            AND (SELECT array_agg(k ORDER BY n) FROM unnest(i.indkey::smallint[]) WITH ORDINALITY AS u (k, n) WHERE n <= cardinality(c.conkey)) = c.conkey))`,
      // A picture in use is not taken away, but goes with its user, whatever is deleted first: NO ACTION, not RESTRICT.
      [['post_pictures_upload_id_fkey', 'users_picture']],
    );
    expect(bare).toEqual([]);
  });
});

describe('transactions', () => {
  test('are tried once more after a deadlock, and only once', async () => {
    let tries = 0;
    const result = await inTransaction(dataSource, async (manager) => {
      if (++tries === 1) await manager.query(`DO $$ BEGIN RAISE EXCEPTION 'met' USING ERRCODE = '40P01'; END $$`);
      return 'done';
    });
    expect([result, tries]).toEqual(['done', 2]);
    tries = 0;
    const always = inTransaction(dataSource, async (manager) => {
      tries++;
      await manager.query(`DO $$ BEGIN RAISE EXCEPTION 'met' USING ERRCODE = '40001'; END $$`);
    });
    await expect(always).rejects.toThrow('met');
    expect(tries).toBe(2);
  });

  test('any other failure is not repeated', async () => {
    let tries = 0;
    await expect(
      inTransaction(dataSource, async (manager) => (tries++, manager.query(`SELECT 1 / 0`))),
    ).rejects.toThrow('division by zero');
    expect(tries).toBe(1);
  });
});
