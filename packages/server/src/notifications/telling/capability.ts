import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { TELLING_CHECKS } from './checks.js';
import { Notification, NotificationAct, NotificationChoice } from './notification.entity.js';

/** Transaction numbers mean nothing elsewhere: what is imported was all there before whatever comes. */
const withoutNumbers = ({ xid: _, opened_xid: __, last_xid: ___, ...row }: Record<string, unknown>) => row;

/** Who is told of what, once. */
export const telling: Capability = {
  name: 'telling',
  entities: [Notification, NotificationAct, NotificationChoice],
  tables: {
    notifications: {
      shown: ['id', 'user_id', 'kind', 'target_id', 'post_id', 'seen', 'opened_xid', 'last_xid', 'last_at'],
      filled: true,
      exported: { key: ['id'], mend: withoutNumbers },
    },
    notification_acts: {
      shown: ['thing_id', 'actor_id', 'user_id', 'notification_id', 'xid', 'at'],
      filled: true,
      exported: { key: ['thing_id', 'actor_id', 'user_id'], mend: withoutNumbers },
    },
    notification_choices: { shown: ['user_id', 'switched_off'], exported: { key: ['user_id'] } },
  },
  checks: [
    orphans('notifications', 'user_id', 'users'),
    orphans('notification_choices', 'user_id', 'users'),
    ...TELLING_CHECKS,
  ],
  things: [
    {
      // That others act, and are told of it, is no harm; that they look or choose for somebody would be.
      name: 'choice',
      make: `INSERT INTO notification_choices (user_id, switched_off) SELECT $2::uuid, '{watched}' WHERE $1::uuid IS NOT NULL`,
      snapshot: `SELECT jsonb_build_object('choices', (SELECT switched_off FROM notification_choices WHERE user_id = $1),
        'seen', (SELECT count(*) FROM notifications WHERE user_id = $1 AND seen))`,
    },
  ],
};
