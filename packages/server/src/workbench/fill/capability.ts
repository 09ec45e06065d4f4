import type { Capability } from '../../ground/capability/capability.js';
import { FillRun } from './fill-run.entity.js';

/** Made-up people and what they write. */
export const fills: Capability = {
  name: 'fills',
  entities: [FillRun],
  tables: {
    fill_runs: {
      shown: ['id', 'users', 'posts', 'follows', 'comments', 'days', 'seed', 'started_at', 'batches', 'done'],
    },
  },
};
