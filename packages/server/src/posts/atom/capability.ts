import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Posts } from '../posts/service.js';
import { TRIALS } from './ownership.js';

/** Somebody's posts for a reader of feeds (RFC 4287). */
export const atom: Capability = {
  name: 'atom',
  trials: TRIALS,
  start: (house) => ({
    routes: async (app) =>
      (await import('./routes.js')).atomRoutes(app, {
        posts: house.get(Posts),
        users: house.get(Users),
        lists: house.get(Lists),
        address: house.address,
      }),
  }),
};
