import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
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
  start(house) {
    const { database, background, pages, address } = house;
    const all = house.add(new Hashtags(database, house.get(Posts), pages));
    return {
      routes: async (app) => (await import('./routes.js')).hashtagRoutes(app, { hashtags: all, address }),
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
