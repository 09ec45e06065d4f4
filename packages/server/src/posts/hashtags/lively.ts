import type { DataSource } from 'typeorm';
import { underLock } from '../../ground/database/under-lock.js';
import { makeLively, WINDOWS } from './queries.js';

/** Held by the one process that makes the lively lists. */
const MAKING = `hashtext('gather-lane lively')`;
const MOST = 100;
/** How old the lists become before they are made anew. */
export const LIVELY_EVERY_SECONDS = 60;

/** Makes the lively lists anew, unless another process is at it, or was just now. */
export function makeLivelyLists(dataSource: DataSource, olderThanSeconds = LIVELY_EVERY_SECONDS / 2): Promise<void> {
  return underLock<void>(
    dataSource,
    MAKING,
    (runner) =>
      runner.manager.transaction(async (manager) => {
        const [{ now, fresh }] = await manager.query<[{ now: Date; fresh: boolean }]>(
          `SELECT clock_timestamp() AS now, coalesce(max(made_at) > clock_timestamp() - make_interval(secs => $1), false) AS fresh FROM lively_hashtags`,
          [olderThanSeconds],
        );
        if (fresh) return;
        await manager.query(`DELETE FROM lively_hashtags`);
        for (const over of Object.keys(WINDOWS) as (keyof typeof WINDOWS)[])
          await manager.query(makeLively(over), [now, MOST]);
      }),
    () => undefined,
  );
}
