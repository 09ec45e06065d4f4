import { randomBytes } from 'node:crypto';
import pg from 'pg';
import type { DatabaseAddress } from '../ground/database/address.js';

/** The address of the PostgreSQL that the tests share. */
export const sharedDatabase = (): DatabaseAddress =>
  JSON.parse(process.env.GATHER_LANE_TEST_DATABASE_ADDRESS!) as DatabaseAddress;

/** An address as the service is given it. */
export const urlOf = ({ host, port, user, password, database }: DatabaseAddress): string =>
  `postgres://${user}:${encodeURIComponent(password!)}@${encodeURIComponent(host)}:${port}/${database}`;

/** Does something with a connection to the tests' PostgreSQL that is to none of the databases which are copied. */
export async function asAdmin<T>(work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ ...sharedDatabase(), database: 'postgres' });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

/** A database of a test's own. */
export interface TestDatabase {
  readonly address: DatabaseAddress;
  drop(): Promise<void>;
}

/** Makes a database of a test's own: a copy of one that is migrated, or of another. */
export async function makeDatabase(original = sharedDatabase().database): Promise<TestDatabase> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  await asAdmin((client) => client.query(`CREATE DATABASE ${name} TEMPLATE ${original}`));
  return {
    address: { ...sharedDatabase(), database: name },
    drop: async () => void (await asAdmin((client) => client.query(`DROP DATABASE ${name} WITH (FORCE)`))),
  };
}
