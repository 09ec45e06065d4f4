import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { Comments } from '../comments/service.js';
import { Posts } from '../posts/service.js';
import { Moderation } from './moderation.entity.js';
import { TRIALS } from './ownership.js';
import { Removals } from './service.js';

/** Taking things out of sight, and bringing them back. */
export const moderation: Capability = {
  name: 'moderation',
  entities: [Moderation],
  tables: {
    moderations: {
      shown: ['id', 'moderator_id', 'post_id', 'comment_id', 'action', 'created_at'],
      exported: { key: ['id'] },
    },
  },
  checks: [
    orphans('moderations', 'moderator_id', 'users'),
    orphans('moderations', 'post_id', 'posts'),
    orphans('moderations', 'comment_id', 'comments'),
  ],
  trials: TRIALS,
  start(house) {
    const { database, background, pages, address, config } = house;
    const [posts, comments] = [house.get(Posts), house.get(Comments)];
    const removals = house.add(new Removals(database, background, { posts, comments, pages }, config.model));
    return {
      owners: {
        'removed post': (reference, caller) => removals.owned('post', readId(reference, 'post'), caller),
        'removed comment': (reference, caller) => removals.owned('comment', readId(reference, 'comment'), caller),
      },
      async routes(app) {
        (await import('./routes.js')).moderationRoutes(app, { removals, posts, comments, address });
        (await import('./operator-routes.js')).moderatorRoutes(app, { users: house.get(Users) });
      },
      jobs: [{ does: 'really delete what cannot be restored any more', run: () => removals.purge() }],
    };
  },
};
