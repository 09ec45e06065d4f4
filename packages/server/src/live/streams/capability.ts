import { Feed } from '../../feed/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { Metrics } from '../../ground/metrics/metrics.js';
import { Events } from '../../notifications/events/events.js';
import { Notifications } from '../../notifications/list/service.js';
import { StreamHub } from './hub.js';
import { TRIALS } from './ownership.js';

/** What happens, as it happens. */
export const streams: Capability = {
  name: 'streams',
  trials: TRIALS,
  start(house) {
    const { database: dataSource, config } = house;
    const feed = house.get(Feed);
    const sources = { dataSource, events: house.get(Events), notifications: house.get(Notifications), feed };
    const limits = { perUser: config.live.streamsPerUser, perProcess: config.live.streamsPerProcess };
    const hub = house.add(new StreamHub(sources, limits));
    house.get(Metrics).add({
      name: 'gather_lane_streams_open',
      help: 'Streams of live events that are open here',
      now: () => [{ value: hub.size }],
    });
    house.get(Metrics).add({
      name: 'gather_lane_events_delay_seconds',
      across: 'max',
      help: 'How long ago the event was made that streams here were told of last, when they were told',
      now: () => [{ value: hub.delaySeconds }],
    });
    return {
      routes: async (app) => (await import('./routes.js')).streamRoutes(app, { hub, feed, database: dataSource }),
      ending: () => hub.endAll(),
      stop: () => hub.settled(),
    };
  },
};
