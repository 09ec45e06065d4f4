import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Block, Mute } from './distance.entity.js';
import { TRIALS } from './ownership.js';
import { Blocks } from './service.js';

/** Mutes and blocks. */
export const blocks: Capability = {
  name: 'blocks',
  entities: [Mute, Block],
  tables: {
    mutes: { shown: ['created_at'], exported: { key: ['muter_id', 'muted_id'] } },
    blocks: { shown: ['created_at'], exported: { key: ['blocker_id', 'blocked_id'] } },
  },
  checks: [
    orphans('mutes', 'muter_id', 'users'),
    orphans('mutes', 'muted_id', 'users'),
    orphans('blocks', 'blocker_id', 'users'),
    orphans('blocks', 'blocked_id', 'users'),
    {
      name: 'follows-across-blocks',
      means: 'somebody follows whom they block, or who blocks them',
      sql: `SELECT f.follower_id::text AS id, f.followee_id::text AS found, 'no follow beside a block' AS should FROM follows f
      WHERE EXISTS (SELECT FROM blocks b WHERE (b.blocker_id, b.blocked_id) IN ((f.follower_id, f.followee_id), (f.followee_id, f.follower_id)))`,
    },
  ],
  trials: TRIALS,
  start(house) {
    const users = house.get(Users);
    const all = house.add(new Blocks(house.database, users));
    return {
      routes: async (app) =>
        (await import('./routes.js')).blockRoutes(app, { blocks: all, users, lists: house.get(Lists) }),
    };
  },
};
