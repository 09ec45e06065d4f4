import type { DataSource } from 'typeorm';
import type { Of } from '../../ground/http/schemas.js';
import { COUNTED_IN, slowest } from './queries.js';
import type { Recorder } from './recorder.js';
import type { ActivitySchema } from './schema.js';

type Activity = Of<typeof ActivitySchema>;

/** What calls did in the last so many seconds, of every process. */
export async function readActivity(dataSource: DataSource, recorder: Recorder, seconds: number): Promise<Activity> {
  const { since, ...figures } = await recorder.figures(seconds);
  const at = since === null ? null : new Date(since).toISOString();
  return { seconds, since: at, ...figures, statements: await slowestOf(dataSource, recorder) };
}

/** As PostgreSQL counted them where it does, and lets us look; else as this process saw them. */
async function slowestOf(dataSource: DataSource, recorder: Recorder): Promise<Activity['statements']> {
  try {
    const [counted] = await dataSource.query<{ schema: string }[]>(COUNTED_IN);
    if (counted) return { from: 'pg_stat_statements', items: await dataSource.query(slowest(counted.schema)) };
  } catch {
    // A role that may not look is told nothing, and needs no more than what this process saw.
  }
  return { from: 'traces', items: recorder.slowest() };
}
