import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { Lists } from '../../ground/standbys/lists.js';
import { Posts } from '../posts/service.js';
import { HASHTAG_CHECKS } from './checks.js';
import { Hashtag, HashtagPerson, LivelyHashtag, PostHashtag } from './hashtag.entity.js';
import { LIVELY_EVERY_SECONDS, makeLivelyLists } from './lively.js';
import { TRIALS } from './ownership.js';
import { Hashtags } from './service.js';

/** Words that posts gather under. */
export const hashtags: Capability = {
  name: 'hashtags',
  entities: [Hashtag, HashtagPerson, PostHashtag, LivelyHashtag],
  tables: {
    hashtags: { shown: ['id', 'name', 'shown', 'posts', 'people', 'created_at'], filled: true },
    hashtag_people: { shown: ['hashtag_id', 'user_id', 'n'], filled: true },
    post_hashtags: { shown: ['post_id', 'hashtag_id', 'author_id', 'created_at'], filled: true },
    lively_hashtags: { shown: ['over', 'hashtag_id', 'posts', 'people', 'lane_time', 'made_at'] },
  },
  checks: [
    orphans('post_hashtags', 'post_id', 'posts'),
    orphans('post_hashtags', 'hashtag_id', 'hashtags'),
    ...HASHTAG_CHECKS,
  ],
  trials: TRIALS,
  things: [
    {
      // On a post of the owner's, and seen by whoever sees that.
      name: 'hashtag',
      make: `UPDATE posts SET reading = 2000000000, spans = jsonb_build_array(jsonb_build_array('h', 0, 1, 0, 1, 't' || replace($1::text, '-', '')))
        WHERE id = (SELECT id FROM posts WHERE author_id = $2 AND deleted_at IS NULL ORDER BY id LIMIT 1)`,
      snapshot: `SELECT jsonb_agg(h.hashtag_id ORDER BY h.hashtag_id) FROM post_hashtags h WHERE h.author_id = $1`,
      leftOver: `DELETE FROM hashtags WHERE posts = 0 AND name ~ '^t[0-9a-f]{32}$'`,
    },
  ],
  start(house) {
    const { database, background, pages } = house;
    const all = house.add(new Hashtags(database, house.get(Posts), pages));
    return {
      routes: async (app) =>
        (await import('./routes.js')).hashtagRoutes(app, { hashtags: all, lists: house.get(Lists) }),
      jobs: [
        {
          does: 'make the lists of lively hashtags anew',
          everySeconds: LIVELY_EVERY_SECONDS,
          run: () => makeLivelyLists(background),
        },
      ],
    };
  },
};
