import type { Capability } from '../capability/capability.js';
import { poolsOf } from '../database/pools.js';
import { Metrics } from './metrics.js';
import { TRIALS } from './ownership.js';

const POOL = 'db_client_connection_pool_name';
const STATE = 'db_client_connection_state';

/** What the service measures of itself, for whoever watches it. */
export const metrics: Capability = {
  name: 'metrics',
  trials: TRIALS,
  start(house) {
    const all = house.add(new Metrics());
    const pools = () => [...poolsOf(house.database, 'calls'), ...poolsOf(house.background, 'background')];
    all.add({
      name: 'db_client_connection_count',
      help: 'Connections to the database, by pool and state',
      labels: [POOL, STATE],
      now: () =>
        pools().flatMap(({ name, used, idle }) => [
          { value: used, of: { [POOL]: name, [STATE]: 'used' } },
          { value: idle, of: { [POOL]: name, [STATE]: 'idle' } },
        ]),
    });
    all.add({
      name: 'db_client_connection_max',
      help: 'Most connections of a pool',
      labels: [POOL],
      now: () => pools().map(({ name, most }) => ({ value: most, of: { [POOL]: name } })),
    });
    all.add({
      name: 'db_client_connection_pending_requests',
      help: 'Calls that wait for a connection of a pool',
      labels: [POOL],
      now: () => pools().map(({ name, waiting }) => ({ value: waiting, of: { [POOL]: name } })),
    });
    return {
      routes: async (app) => (await import('./routes.js')).metricRoutes(app, { metrics: all }),
      stop: () => Promise.resolve(all.end()),
    };
  },
};
