import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Follow } from './follow.entity.js';
import { NearFollows } from './near.js';
import { TRIALS } from './ownership.js';
import { Follows } from './service.js';

/** Who follows whom. */
export const follows: Capability = {
  name: 'follows',
  entities: [Follow],
  tables: {
    follows: {
      shown: ['follower_id', 'followee_id', 'created_at'],
      filled: true,
      exported: { key: ['follower_id', 'followee_id'], onlyAfter: ['users', 'blocks', 'posts'] },
    },
  },
  checks: [
    {
      name: 'self-follows',
      means: 'somebody follows themselves',
      sql: `SELECT follower_id::text AS id, 'follows themselves' AS found, 'nobody does' AS should FROM follows WHERE follower_id = followee_id`,
    },
    orphans('follows', 'follower_id', 'users'),
    orphans('follows', 'followee_id', 'users'),
  ],
  trials: TRIALS,
  start(house) {
    const { database, config } = house;
    const users = house.get(Users);
    const all = house.add(new Follows(database, users, config.limits.follows));
    const near = house.add(new NearFollows(database, users));
    return {
      routes: async (app) =>
        (await import('./routes.js')).followRoutes(app, { follows: all, near, users, lists: house.get(Lists) }),
    };
  },
};
