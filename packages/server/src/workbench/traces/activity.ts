import type { DataSource } from 'typeorm';
import type { Of } from '../../ground/http/schemas.js';
import { BY_ROUTE, COUNTED_IN, OVER_TIME, SINCE, slowest } from './queries.js';
import type { Recorder } from './recorder.js';
import type { ActivitySchema } from './schema.js';

type Activity = Of<typeof ActivitySchema>;
type RouteRow = Omit<Activity['routes'][number], 'p50' | 'p95' | 'p99'> & { quantiles: [number, number, number] };

/** What calls did in the last so many seconds, of every process. */
export async function readActivity(dataSource: DataSource, recorder: Recorder, seconds: number): Promise<Activity> {
  await recorder.keep();
  const [{ since, calls }] = await dataSource.query<[{ since: Date | null; calls: number }]>(SINCE, [seconds]);
  const parts = await dataSource.query<Activity['parts']>(OVER_TIME, [seconds]);
  const routes = await dataSource.query<RouteRow[]>(BY_ROUTE, [seconds]);
  const lasted = since ? Math.max(1, (Date.now() - since.getTime()) / 1000) : seconds;
  return {
    seconds,
    since: since?.toISOString() ?? null,
    calls,
    perSecond: calls / lasted,
    parts,
    routes: routes.map(({ quantiles: [p50, p95, p99], ...route }) => ({ ...route, p50, p95, p99 })),
    statements: await slowestOf(dataSource, recorder),
  };
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
