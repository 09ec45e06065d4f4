import { OperatorKey } from '../../accounts/operator/key.js';
import { Sessions } from '../../accounts/sessions/service.js';
import { Users } from '../../accounts/users/service.js';
import { Blocks } from '../../graph/blocks/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { Recorder } from '../traces/recorder.js';
import { TRIALS } from './ownership.js';

/** Calls as whoever is asked for, to see what each meets. */
export const calls: Capability = {
  name: 'calls',
  trials: TRIALS,
  start: (house) => ({
    routes: async (app) =>
      (await import('./routes.js')).callRoutes(app, {
        recorder: house.find(Recorder),
        database: house.database,
        sessions: house.get(Sessions),
        users: house.get(Users),
        blocks: house.get(Blocks),
        key: house.get(OperatorKey),
        pass: house.pass,
        actsAs: house.demo || house.config.sessions.actingAs,
      }),
  }),
};
