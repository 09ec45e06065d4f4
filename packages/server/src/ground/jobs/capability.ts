import type { Capability } from '../capability/capability.js';
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
    return { routes: async (app) => (await import('./routes.js')).jobRoutes(app, { runner }) };
  },
};
