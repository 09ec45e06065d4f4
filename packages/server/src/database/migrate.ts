import type { DataSource } from 'typeorm';
import { MIGRATIONS, MIGRATIONS_TABLE } from './data-source.js';

/** How the database stands to this version of the service. */
export type MigrationState = 'current' | 'pending' | 'empty' | 'newer';

const MIGRATION_LOCK = 0x6761_7468;

/** Compares the migrations that have run with those that this version knows. */
export async function migrationState(dataSource: DataSource): Promise<MigrationState> {
  const [{ there }] = await dataSource.query<[{ there: boolean }]>(`SELECT to_regclass($1) IS NOT NULL AS there`, [
    MIGRATIONS_TABLE,
  ]);
  if (!there) return 'empty';
  const rows = await dataSource.query<{ name: string }[]>(`SELECT name FROM ${MIGRATIONS_TABLE}`);
  const known = MIGRATIONS.map((migration) => migration.name);
  if (rows.some(({ name }) => !known.includes(name))) return 'newer';
  if (rows.length === 0) return 'empty';
  return rows.length < known.length ? 'pending' : 'current';
}

/** Runs what is pending, one service at a time: a second one waits and then finds nothing to do. */
export async function migrate(dataSource: DataSource): Promise<void> {
  const lock = dataSource.createQueryRunner();
  try {
    await lock.query(`SELECT pg_advisory_lock($1)`, [MIGRATION_LOCK]);
    await dataSource.runMigrations();
  } finally {
    await lock.query(`SELECT pg_advisory_unlock($1)`, [MIGRATION_LOCK]);
    await lock.release();
  }
}
