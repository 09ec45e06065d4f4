import type { Capability } from '../../ground/capability/capability.js';
import { TRIALS } from './ownership.js';
import { Notifications } from './service.js';

/** What people are told, read and seen. */
export const notifications: Capability = {
  name: 'notifications',
  trials: TRIALS,
  start(house) {
    const { database, background, cursors, address, config } = house;
    const all = house.add(new Notifications(database, cursors, address));
    const swept = new Notifications(background, cursors, address);
    return {
      routes: async (app) => (await import('./routes.js')).notificationRoutes(app, { notifications: all, address }),
      jobs: [{ does: 'remove old notifications', run: () => swept.sweep(config.notifications.days) }],
    };
  },
};
