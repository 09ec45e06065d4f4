import type { Capability } from '../capability/capability.js';
import { Metrics } from '../metrics/metrics.js';
import { HeldJob } from './job.entity.js';
import { TRIALS } from './ownership.js';
import { JobRunner } from './runner.js';

/** What is done now and then, by one process at a time. */
export const jobs: Capability = {
  name: 'jobs',
  entities: [HeldJob],
  tables: {
    jobs: {
      shown: ['name', 'due_at', 'held_by', 'held_until', 'begun_at', 'ended_at', 'failures', 'failed_with'],
      stays: true,
    },
  },
  trials: TRIALS,
  start(house) {
    const runner = house.add(new JobRunner(house.background));
    const figures = house.get(Metrics);
    figures.add({
      name: 'gather_lane_job_held',
      help: 'Whether a process is at a job: 1 for this one and 0 for none or another',
      labels: ['job'],
      now: () => runner.here().map(({ does, held }) => ({ value: held ? 1 : 0, of: { job: does } })),
    });
    figures.add({
      name: 'gather_lane_job_failures',
      across: 'max',
      help: 'How often a job failed one after the other until now, at whichever process',
      labels: ['job'],
      now: async () => (await runner.standing()).map(({ does, failures }) => ({ value: failures, of: { job: does } })),
    });
    return { routes: async (app) => (await import('./routes.js')).jobRoutes(app, { runner }) };
  },
};
