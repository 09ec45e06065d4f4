import type { Capability } from '../../ground/capability/capability.js';
import { Event, EventReader } from './event.entity.js';
import { Events } from './events.js';

const FORGET_EVERY_SECONDS = 60;

/** What happened, for whoever is connected. */
export const events: Capability = {
  name: 'events',
  entities: [Event, EventReader],
  tables: {
    events: { shown: ['xid', 'id', 'kind', 'subjects', 'details', 'made_at'] },
    event_readers: { shown: ['name', 'snapshot', 'read_at'] },
  },
  start(house) {
    const { database, background, config } = house;
    house.add(new Events(database, config.live.keptHours));
    const forgetful = new Events(background, config.live.keptHours);
    return {
      jobs: [
        {
          does: 'forget what happened long ago',
          everySeconds: FORGET_EVERY_SECONDS,
          run: () => forgetful.forget(),
        },
      ],
    };
  },
};
