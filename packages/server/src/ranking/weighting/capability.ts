import type { Capability } from '../../ground/capability/capability.js';
import { STANDING_CHECKS } from './checks.js';
import { Standing, StandingDrop } from './standing.entity.js';
import { Restand, WeightingRow } from './weighting.entity.js';

/** Weightings, and where each post stands by them. */
export const weighting: Capability = {
  name: 'weighting',
  entities: [WeightingRow, Standing, StandingDrop, Restand],
  tables: {
    weightings: {
      shown: [
        'id',
        'half_life_ms',
        'base',
        'weights',
        'in_force',
        'state',
        'created_at',
        'in_force_from',
        'in_force_until',
      ],
      stays: true,
      // As history: that in force there is adopted here at the end.
      exported: { key: ['id'], here: { in_force: false, state: 'past', phase: null, in_force_until: null } },
    },
    // Of each weighting that is alive: whoever starts over asks which there are.
    standings: { shown: ['post_id', 'author_id', 'lane_time'], stays: true },
    standing_drops: { shown: ['post_id', 'xid', 'from_lane_time', 'weighting', 'dropped_at'] },
    restand: { shown: ['post_id'] },
  },
  checks: STANDING_CHECKS,
};
