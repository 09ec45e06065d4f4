import { Users } from '../accounts/users/service.js';
import type { Capability } from '../ground/capability/capability.js';
import { readerOf } from '../ground/http/reader.js';
import { Standbys } from '../ground/standbys/standbys.js';
import { Posts } from '../posts/posts/service.js';
import { FeedInspection } from './inspection.js';
import { TRIALS } from './ownership.js';
import { Places } from './place.js';
import { Feed } from './service.js';

/** The following feed. */
export const feed: Capability = {
  name: 'feed',
  trials: TRIALS,
  start(house) {
    const standbys = house.get(Standbys);
    const { database, cursors, pages, address, config } = house;
    const all = house.add(new Feed(database, house.get(Posts), cursors, config.model, { standbys }));
    const places = house.add(new Places(database));
    const inspection = new FeedInspection(database, (watched, viewer, request) =>
      new Feed(watched, new Posts(watched, pages, address, config.model), cursors, config.model, {
        ways: all.ways,
      }).page(readerOf(watched, viewer), request),
    );
    const users = house.get(Users);
    return {
      routes: async (app) =>
        (await import('./routes.js')).feedRoutes(app, {
          feed: all,
          standbys,
          places,
          inspection,
          users,
          database,
          address,
        }),
      jobs: [{ does: 'forget drops that no scroll can meet', run: () => all.forgetDrops() }],
    };
  },
};
