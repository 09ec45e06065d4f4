import type { DataSource } from 'typeorm';
import { migrate, MIGRATIONS_MISSING, migrationState, newerDatabase } from '../ground/database/migrate.js';
import { endDemoSessions, isDemoLoaded, loadDemo } from '../workbench/demo/load.js';
import { describeWaiting, migrateModel, MigrationRefused } from '../workbench/model/migration/migrate.js';
import { modelState } from '../workbench/model/migration/plan.js';
import type { StartOptions } from './start-options.js';
import { StartRefused } from './start-refused.js';

/** Whether the service can work. */
export interface Readiness {
  /** Why it cannot, and what to do, or null. */
  reason: string | null;
  /** Whether the product's own tables are there. */
  readonly migrated: boolean;
  /** Whether the demo was loaded just now. */
  demoIsNew?: boolean;
}

/** Why a service waits for the tables. */
export const MODEL_BEHIND =
  'The model file has fields that the tables do not have yet: gather-lane model migrate (look first with gather-lane model changes).';

/** Brings the columns of the developer's own fields to the model file, where that needs nobody's choice. */
async function prepareModel(dataSource: DataSource, { config, notice }: StartOptions, allowed: boolean): Promise<void> {
  if ((await modelState(dataSource, config.model)) === 'current') return;
  const [{ empty }] = await dataSource.query<[{ empty: boolean }]>(`SELECT NOT EXISTS (SELECT FROM users) AS empty`);
  if (!allowed && !empty) return;
  try {
    const { id, waiting } = await migrateModel(dataSource, config.model, { answers: {}, drop: [], wait: true });
    if (id !== null && !empty) notice('The tables were brought to the model file: see `gather-lane model`.');
    if (waiting.length > 0) notice(describeWaiting(waiting));
  } catch (error) {
    if (!(error instanceof MigrationRefused)) throw error;
    notice(`${error.message}\nSee \`gather-lane model changes\`, then run \`gather-lane model migrate\`.`);
  }
}

/** Brings the database to this version where that is wanted. */
export async function prepare(dataSource: DataSource, options: StartOptions, embedded: boolean): Promise<Readiness> {
  const { config, demo, notice, progress } = options;
  const { model } = config;
  const state = await migrationState(dataSource);
  if (state === 'newer') throw newerDatabase();
  // A cluster of ours that was made just now holds nothing that a migration could harm.
  if (state !== 'current' && (demo || config.database.migrate || (embedded && state === 'empty')))
    await migrate(dataSource);
  else if (state !== 'current') return { reason: MIGRATIONS_MISSING, migrated: false };
  await prepareModel(dataSource, options, demo || config.database.migrate);
  const behind = (await modelState(dataSource, model)) === 'behind';
  const readiness: Readiness = { reason: behind ? MODEL_BEHIND : null, migrated: true };
  if (!demo) {
    const ended = await endDemoSessions(dataSource);
    if (ended > 0) notice(`${ended} sessions of demo users were ended: this service is not a demo.`);
    return readiness;
  }
  if (!(await isDemoLoaded(dataSource))) {
    const [{ users }] = await dataSource.query<[{ users: number }]>(`SELECT count(*)::integer AS users FROM users`);
    if (users > 0)
      throw new StartRefused(
        'The database holds accounts that are no demo: start without --demo, or use another --data folder for the demo.',
      );
    await loadDemo(dataSource, config, (done, total) => progress?.('Loading the Wherry Cut', done, total));
    readiness.demoIsNew = true;
  }
  return readiness;
}
