import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { Metrics } from '../../ground/metrics/metrics.js';
import { TRIALS } from './ownership.js';
import { Weightings } from './service.js';

/** Trying and adopting a weighting. */
export const weightings: Capability = {
  name: 'weightings',
  trials: TRIALS,
  start(house) {
    const { database, background, config } = house;
    const kinds = config.reactions.map(({ name }) => name);
    const all = house.add(new Weightings(database, background, kinds));
    house.get(Metrics).add({
      name: 'gather_lane_standings_building_seconds',
      across: 'max',
      help: 'For how long the standings of a weighting are being built; 0 where none are',
      now: async () => [{ value: await all.buildingSeconds() }],
    });
    return {
      routes: async (app) =>
        (await import('./routes.js')).weightingRoutes(app, { weighting: all, users: house.get(Users) }),
      jobs: [
        { does: 'take away standings that no scroll needs', run: () => all.dropRetired() },
        { does: 'go on with a weighting that was being built', run: () => all.build() },
      ],
      stop: () => all.stop(),
    };
  },
};
