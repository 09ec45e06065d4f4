import type { Capability } from '../../ground/capability/capability.js';
import { OperatorBrowserSessions } from './browser-sessions.js';
import { OperatorKey } from './key.js';
import { OperatorSession } from './operator-session.entity.js';

/** Who runs the service, by key or in a browser. */
export const operatorSessions: Capability = {
  name: 'operator sessions',
  entities: [OperatorSession],
  tables: { operator_sessions: { shown: ['created_at', 'expires_at'], secret: ['token_hash'], stays: true } },
  start(house) {
    const sessions = house.add(new OperatorBrowserSessions(house.database, house.get(OperatorKey)));
    return {
      jobs: [{ does: 'forget browsers of the operator whose time is over', run: () => sessions.forget() }],
    };
  },
};
