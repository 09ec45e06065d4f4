import { OperatorKey } from '../../accounts/operator/key.js';
import { Sessions } from '../../accounts/sessions/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { TRIALS } from './ownership.js';
import { OwnershipCheck } from './service.js';
import { LatestOwnershipCheck } from './latest-ownership-check.entity.js';
import { ThrowAwayUser } from './throw-away-user.entity.js';

/** Trying every route as everybody. */
export const ownership: Capability = {
  name: 'ownership',
  entities: [ThrowAwayUser, LatestOwnershipCheck],
  tables: {
    throw_away_users: { shown: ['user_id', 'made_at'] },
    ownership_checks: { shown: ['latest', 'started_at', 'ended_at', 'calls', 'faults'], stays: true },
  },
  trials: TRIALS,
  start(house) {
    const { background, plan, config, pass } = house;
    const [sessions, key] = [house.get(Sessions), house.get(OperatorKey)];
    const check = house.add(new OwnershipCheck(background, { sessions, key, plan, model: config.model }, pass));
    return {
      routes: async (app) => (await import('./routes.js')).ownershipRoutes(app, { ownership: check }),
      jobs: [{ does: 'remove throw-away users of a check that was killed', run: () => check.removeLeftOver() }],
    };
  },
};
