import type { Capability } from '../capability/capability.js';
import { Metrics } from '../metrics/metrics.js';
import { logStanding } from './standing.js';

const LOOK_EVERY_SECONDS = 60;

/** Tells when the log of the database, by which a back-up is restored to an instant, cannot be copied. */
export const keptLog: Capability = {
  name: 'kept log',
  start(house) {
    const { background, config } = house;
    const figures = house.get(Metrics);
    let asking: ReturnType<typeof logStanding> | null = null;
    // Figures that are looked up together are of one answer.
    const standing = () => (asking ??= logStanding(background).finally(() => (asking = null)));
    figures.add({
      name: 'gather_lane_log_parts',
      across: 'max',
      help: 'Parts of the database’s log that were copied, and attempts that failed; left out where none is kept',
      labels: ['outcome'],
      now: async () => {
        const now = await standing();
        return (['copied', 'failed'] as const).flatMap((outcome) =>
          now ? [{ value: now[outcome], of: { outcome } }] : [],
        );
      },
    });
    figures.add({
      name: 'gather_lane_log_failing_seconds',
      across: 'max',
      help: 'How long ago a part of the log was copied last, where it cannot be now; 0 where it can',
      now: async () => {
        const now = await standing();
        return now ? [{ value: now.failingSince ? (Date.now() - now.failingSince.getTime()) / 1000 : 0 }] : [];
      },
    });
    figures.add({
      name: 'gather_lane_log_waiting_bytes',
      across: 'max',
      help: 'How much of the log is not copied yet',
      now: async () => {
        const now = await standing();
        return now?.waiting === undefined || now.waiting === null ? [] : [{ value: now.waiting }];
      },
    });
    const { keepLog } = config.database;
    if (keepLog === undefined) return {};
    return {
      jobs: [
        {
          does: 'look whether the log of the database can be copied',
          everySeconds: LOOK_EVERY_SECONDS,
          async run() {
            const { failingSince, failedPart, waiting } = (await standing()) ?? {};
            if (!failingSince) return;
            throw new Error(
              `The log of the database cannot be copied to database.keepLog (${keepLog}) since ${failingSince.toISOString()}: ${failedPart} failed last. What is not copied${waiting === null || waiting === undefined ? '' : ` (${megabytes(waiting)})`} stays in the database’s own folder, which grows until it can be: pg.log in the data folder says why it cannot.`,
            );
          },
        },
      ],
    };
  },
};

const megabytes = (bytes: number): string => `${Math.round(bytes / 1e6)} MB`;
