import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readAnew, readUnread } from './back-fill.js';
import { READING_CHECKS } from './checks.js';
import { CommentMention, PostMention } from './mention.entity.js';
import { TextReading } from './text-reading.entity.js';

/** What texts name: found when they are written, and anew when the rules change. */
export const reading: Capability = {
  name: 'reading',
  entities: [PostMention, CommentMention, TextReading],
  tables: {
    post_mentions: { shown: ['post_id', 'user_id'], filled: true },
    comment_mentions: { shown: ['comment_id', 'user_id'], filled: true },
    text_readings: { shown: ['version', 'total', 'done', 'begun_at', 'ended_at'], stays: true },
  },
  checks: [
    orphans('post_mentions', 'post_id', 'posts'),
    orphans('comment_mentions', 'comment_id', 'comments'),
    ...READING_CHECKS,
  ],
  start({ background }) {
    return {
      jobs: [
        {
          does: 'read texts from before a change of the rules anew',
          run: (stopping) => readAnew(background, { ended: () => stopping.aborted }),
        },
        { does: 'read texts that were written by hand', everySeconds: 60, run: () => readUnread(background) },
      ],
    };
  },
};
