import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { REPAIR_COMMENTS } from '../../ranking/tallies/repair.js';
import { readId } from '../../ground/http/doorway.js';
import { IdempotentCalls } from '../../ground/idempotency/service.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Posts } from '../posts/service.js';
import { readHere } from '../reading/read-here.js';
import { Watches } from '../watches/service.js';
import { Comment } from './comment.entity.js';
import { TRIALS } from './ownership.js';
import { Comments } from './service.js';

/** The conversation below posts. */
export const comments: Capability = {
  name: 'comments',
  entities: [Comment],
  ownFields: { comments: Comment },
  tables: {
    comments: {
      shown: [
        'id',
        'post_id',
        'parent_id',
        'author_id',
        'body',
        'version',
        'created_at',
        'edited_at',
        'deleted_at',
        'removal',
        'under_id',
        'depth',
        'spans',
        'reading',
      ],
      filled: true,
      exported: { key: ['id'], order: 'created_at, id', anew: readHere('comments') },
    },
  },
  checks: [
    {
      name: 'answers-across-posts',
      means: 'a comment answers a comment of another post',
      sql: `SELECT c.id::text, p.post_id::text AS found, c.post_id::text AS should FROM comments c JOIN comments p ON p.id = c.parent_id WHERE p.post_id <> c.post_id`,
    },
    {
      name: 'comment-depths',
      means: 'how deep a comment stands is not one more than what it stands under',
      repair: REPAIR_COMMENTS,
      sql: `SELECT c.id::text, c.depth::text AS found, coalesce(u.depth + 1, 0)::text AS should FROM comments c LEFT JOIN comments u ON u.id = c.under_id WHERE c.depth <> coalesce(u.depth + 1, 0)`,
    },
    orphans('comments', 'under_id', 'comments'),
    orphans('comments', 'post_id', 'posts'),
    orphans('comments', 'author_id', 'users'),
    orphans('comments', 'parent_id', 'comments'),
  ],
  trials: TRIALS,
  start(house) {
    const { database, pages, address, config } = house;
    const all = house.add(
      new Comments(
        database,
        { posts: house.get(Posts), watches: house.get(Watches), pages, address },
        config.model,
        config.limits.depth,
      ),
    );
    return {
      owners: { comment: (reference, caller) => all.owned(readId(reference, 'comment'), caller) },
      routes: async (app) =>
        (await import('./routes.js')).commentRoutes(app, {
          comments: all,
          lists: house.get(Lists),
          idempotent: house.get(IdempotentCalls),
          address,
          config,
        }),
    };
  },
};
