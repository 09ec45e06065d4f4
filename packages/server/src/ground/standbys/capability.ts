import type { Capability } from '../capability/capability.js';
import { oneServer } from '../database/address.js';
import { createMappedDataSource } from '../database/data-source.js';
import { Metrics } from '../metrics/metrics.js';
import { tracesCalls } from '../traces/is-on.js';
import { shownIn } from '../traces/shown-columns.js';
import { Lists } from './lists.js';
import { Standby } from './standby.js';
import { Standbys } from './standbys.js';

const SERVER = 'server_address';
/** Nothing is mapped there: only statements of our own are sent. */
const NOTHING = { entities: [], migrations: [], ownFields: {} };

/** Servers that replay the primary's log, at which pages and lists are read. */
export const standbys: Capability = {
  name: 'standbys',
  start(house) {
    const { config, demo, plan } = house;
    const { standbys: urls, standbyLagSeconds, poolSize, preparedStatements, ...limits } = config.database;
    const traced = tracesCalls(config, demo) ? shownIn(plan, config.model) : undefined;
    const choices = { poolSize, prepares: preparedStatements, limits, traced };
    const all = urls.map((url) => {
      const address = oneServer(url, 'database.standbys');
      return new Standby(address, createMappedDataSource(address, NOTHING, choices));
    });
    const beside = house.add(new Standbys(all, standbyLagSeconds));
    house.add(new Lists(house.database, beside, house.address));
    for (const standby of all) standby.begin();
    const figures = house.get(Metrics);
    if (all.length > 0) {
      figures.add({
        name: 'gather_lane_standby_age_seconds',
        across: 'max',
        help: 'How old what a standby shows is; left out for one that cannot be reached',
        labels: [SERVER],
        now: () =>
          all.flatMap(({ name, state }) =>
            state?.inRecovery && state.age !== null ? [{ value: state.age, of: { [SERVER]: name } }] : [],
          ),
      });
      figures.add({
        name: 'gather_lane_standby_statements',
        help: 'How often something was read at a standby, or there in vain and then at the primary',
        labels: [SERVER, 'outcome'],
        now: () =>
          all.flatMap(({ name, sent }) =>
            (['done', 'failed'] as const).map((outcome) => ({ value: sent[outcome], of: { [SERVER]: name, outcome } })),
          ),
      });
    }
    return {
      stop: async () => {
        await Promise.all(all.map((standby) => standby.end()));
      },
    };
  },
};
