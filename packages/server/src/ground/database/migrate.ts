import type { DataSource } from 'typeorm';
import { MIGRATIONS_TABLE } from './data-source.js';
import { DatabaseFault } from './database-fault.js';
import { explainMissingRight } from './diagnose.js';
import { underLock } from './under-lock.js';

/** How the database stands to this version of the service. */
export type MigrationState = 'current' | 'pending' | 'empty' | 'newer';

/** Held by the one process that migrates. */
const MIGRATING = `${0x6761_7468}`;

/** The names of the migrations that this version knows, oldest first. */
const knownTo = ({ migrations }: DataSource): string[] => migrations.map(({ name }) => name!);

/** The names of the migrations that have run. */
async function migrationsRun(dataSource: DataSource): Promise<string[]> {
  const [{ there }] = await dataSource.query<[{ there: boolean }]>(`SELECT to_regclass($1) IS NOT NULL AS there`, [
    MIGRATIONS_TABLE,
  ]);
  if (!there) return [];
  return (await dataSource.query<{ name: string }[]>(`SELECT name FROM ${MIGRATIONS_TABLE}`)).map(({ name }) => name);
}

/** Compares the migrations that have run with those that this version knows. */
export async function migrationState(dataSource: DataSource): Promise<MigrationState> {
  const [run, known] = [await migrationsRun(dataSource), knownTo(dataSource)];
  if (run.some((name) => !known.includes(name))) return 'newer';
  if (run.length === 0) return 'empty';
  return run.length < known.length ? 'pending' : 'current';
}

/** The database is of a newer version than the service. */
export const newerDatabase = (): DatabaseFault =>
  new DatabaseFault(
    'schema',
    'The database was migrated by a newer version of Gather Lane: run that version, or restore a back-up from before.',
  );

/** Why nothing can be done on a database that is older than the service, and what to do. */
export const MIGRATIONS_MISSING =
  'The database is missing migrations: gather-lane start --migrate (or set database.migrate).';

/** The names of the migrations that are still to be run, oldest first. */
export async function pendingMigrations(dataSource: DataSource): Promise<string[]> {
  const run = await migrationsRun(dataSource);
  return knownTo(dataSource).filter((name) => !run.includes(name));
}

/**
 * Runs what is pending, one service at a time: a second one waits and then finds nothing to do.
 * @throws DatabaseFault where the role may not
 */
export async function migrate(dataSource: DataSource): Promise<void> {
  try {
    await underLock(dataSource, MIGRATING, () => dataSource.runMigrations());
  } catch (error) {
    throw explainMissingRight(error) ?? error;
  }
}
