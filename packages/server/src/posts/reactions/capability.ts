import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Comments } from '../comments/service.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Posts } from '../posts/service.js';
import { COUNT_REACTIONS } from '../../ranking/tallies/made.js';
import { TRIALS } from './ownership.js';
import { CommentReaction, Reaction } from './reaction.entity.js';
import { Reactions } from './service.js';

/** What people think of posts and comments. */
export const reactions: Capability = {
  name: 'reactions',
  entities: [Reaction, CommentReaction],
  tables: {
    reactions: {
      shown: ['post_id', 'user_id', 'kind', 'created_at'],
      filled: true,
      exported: {
        key: ['post_id', 'user_id'],
        counted: { by: ['post_id', 'user_id', 'kind'], shared: COUNT_REACTIONS },
      },
    },
    comment_reactions: {
      shown: ['comment_id', 'user_id', 'kind', 'created_at'],
      exported: { key: ['comment_id', 'user_id'], onlyAfter: ['users', 'comments'] },
    },
  },
  checks: [
    orphans('reactions', 'user_id', 'users'),
    orphans('reactions', 'post_id', 'posts'),
    orphans('comment_reactions', 'user_id', 'users'),
    orphans('comment_reactions', 'comment_id', 'comments'),
  ],
  trials: TRIALS,
  start(house) {
    const { database, pages, address, config } = house;
    const all = house.add(new Reactions(database, pages, address));
    const [posts, comments] = [house.get(Posts), house.get(Comments)];
    return {
      routes: async (app) =>
        (await import('./routes.js')).reactionRoutes(app, {
          reactions: all,
          posts,
          comments,
          lists: house.get(Lists),
          config,
        }),
    };
  },
};
