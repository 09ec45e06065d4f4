import type { DataSource } from 'typeorm';
import { MIGRATIONS_TABLE } from './data-source.js';
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
