import type { Capability } from '../capability/capability.js';
import { CallCount } from './call-count.entity.js';
import { SharedCounts } from './shared-counts.js';

const FORGET_EVERY_SECONDS = 60;

/** How often somebody calls, counted over all processes. */
export const rates: Capability = {
  name: 'rates',
  entities: [CallCount],
  tables: { call_counts: { shown: ['n', 'ends_at'], stays: true } },
  start(house) {
    const counts = house.add(new SharedCounts(house.background));
    return {
      jobs: [
        { does: 'forget how often somebody called', everySeconds: FORGET_EVERY_SECONDS, run: () => counts.forget() },
      ],
      stop: () => counts.stop(),
    };
  },
};
