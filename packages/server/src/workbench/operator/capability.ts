import { OperatorBrowserSessions } from '../../accounts/operator/browser-sessions.js';
import { OperatorKey } from '../../accounts/operator/key.js';
import { Sessions } from '../../accounts/sessions/service.js';
import { Users } from '../../accounts/users/service.js';
import { Places } from '../../feed/index.js';
import type { Capability } from '../../ground/capability/capability.js';
import { TRIALS } from './ownership.js';

/** What whoever runs the service looks at and does. */
export const operator: Capability = {
  name: 'operator',
  trials: TRIALS,
  start: (house) => ({
    routes: async (app) =>
      (await import('./routes.js')).operatorRoutes(app, {
        key: house.get(OperatorKey),
        browserSessions: house.get(OperatorBrowserSessions),
        cursors: house.cursors,
        users: house.get(Users),
        sessions: house.get(Sessions),
        places: house.get(Places),
        database: house.database,
        demo: house.demo,
        address: house.address,
        config: house.config,
      }),
  }),
};
