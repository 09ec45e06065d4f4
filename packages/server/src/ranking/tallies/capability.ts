import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { TALLY_CHECKS } from './checks.js';
import { CommentPerson, CommentTally, PostCommenter, PostTally, UserTally } from './tally.entity.js';

/** Counts that the database's triggers keep. */
export const tallies: Capability = {
  name: 'tallies',
  entities: [UserTally, PostTally, PostCommenter, CommentTally, CommentPerson],
  tables: {
    user_tallies: { shown: ['user_id', 'posts', 'followers', 'following'], filled: true },
    post_tallies: { shown: ['post_id', 'comments', 'comment_people', 'reactions', 'author_reaction'], filled: true },
    comment_tallies: {
      shown: ['comment_id', 'reactions', 'post_id', 'place_id', 'created_at', 'in_sight', 'replies', 'people', 'below'],
      filled: true,
    },
    comment_people: { shown: ['comment_id', 'user_id', 'n'], filled: true },
    post_commenters: { shown: ['post_id', 'user_id', 'n'] },
  },
  checks: [orphans('comment_tallies', 'comment_id', 'comments'), ...TALLY_CHECKS],
};
