import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Posts } from '../posts/service.js';
import { TRIALS } from './ownership.js';
import { Watches } from './service.js';
import { CommentAnnouncement, PostWatch } from './watch.entity.js';

/** What of a process that ended in between is left is taken up by another. */
const TAKEN_UP_SECONDS = 5;

/** Watching posts. */
export const watches: Capability = {
  name: 'watches',
  entities: [PostWatch, CommentAnnouncement],
  tables: {
    post_watches: {
      shown: ['post_id', 'user_id', 'watching', 'created_at'],
      filled: true,
      exported: { key: ['post_id', 'user_id'] },
    },
    comment_announcements: { shown: ['comment_id', 'after_user', 'made_at'], exported: { key: ['comment_id'] } },
  },
  checks: [
    orphans('post_watches', 'post_id', 'posts'),
    orphans('post_watches', 'user_id', 'users'),
    orphans('comment_announcements', 'comment_id', 'comments'),
  ],
  trials: TRIALS,
  things: [
    {
      name: 'watch',
      make: `INSERT INTO post_watches (post_id, user_id) SELECT id, $2::uuid FROM posts WHERE author_id = $2 AND deleted_at IS NULL AND $1::uuid IS NOT NULL ORDER BY id LIMIT 1`,
      snapshot: `SELECT jsonb_agg(to_jsonb(t) ORDER BY post_id) FROM post_watches t WHERE user_id = $1`,
    },
  ],
  start(house) {
    const { database, background, pages } = house;
    const posts = house.get(Posts);
    const all = house.add(new Watches(database, background, { posts, pages }));
    return {
      routes: async (app) =>
        (await import('./routes.js')).watchRoutes(app, { watches: all, posts, lists: house.get(Lists) }),
      jobs: [
        {
          does: 'tell those who watch a post of comments',
          everySeconds: TAKEN_UP_SECONDS,
          run: () => all.announce(),
        },
      ],
      stop: () => all.settled(),
    };
  },
};
