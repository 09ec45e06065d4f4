import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { TRIALS } from './ownership.js';
import { RefusedAttempt } from './refused-attempt.entity.js';
import { DeniedAttempts } from './service.js';

/** What was tried on somebody else's things. */
export const deniedAttempts: Capability = {
  name: 'denied attempts',
  entities: [RefusedAttempt],
  tables: { refused_attempts: { shown: ['user_id', 'route', 'thing_id', 'hour', 'kind', 'n', 'last_at'] } },
  checks: [orphans('refused_attempts', 'user_id', 'users')],
  trials: TRIALS,
  start(house) {
    const denied = house.add(new DeniedAttempts(house.database));
    return {
      routes: async (app) => (await import('./routes.js')).deniedAttemptRoutes(app, { denied }),
      jobs: [{ does: 'forget old refused attempts', run: () => denied.forget() }],
    };
  },
};
