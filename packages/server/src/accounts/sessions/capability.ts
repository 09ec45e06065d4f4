import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { DeniedAttempts } from '../denied-attempts/service.js';
import { Users } from '../users/service.js';
import { TRIALS } from './ownership.js';
import { RefreshToken } from './refresh-token.entity.js';
import { Sessions } from './service.js';
import { Session } from './session.entity.js';
import { SignInAttempt } from './sign-in-attempt.entity.js';

/** Signing in and out. */
export const sessions: Capability = {
  name: 'sessions',
  entities: [Session, RefreshToken, SignInAttempt],
  tables: {
    sessions: {
      shown: ['id', 'user_id', 'acting', 'by_cookie', 'created_at', 'ended_at', 'end_reason'],
      secret: ['cookie_hash', 'family_hash'],
    },
    refresh_tokens: { shown: ['session_id', 'made_at', 'used_at'], secret: ['hash', 'parent_hash'] },
    sign_in_attempts: { shown: ['n', 'last_at'], secret: ['key'] },
  },
  checks: [orphans('sessions', 'user_id', 'users'), orphans('refresh_tokens', 'session_id', 'sessions')],
  trials: TRIALS,
  things: [
    {
      name: 'session',
      make: `INSERT INTO sessions (id, user_id, acting, expires_at) VALUES ($1, $2, true, clock_timestamp() + interval '1 hour')`,
      snapshot: `SELECT jsonb_agg(jsonb_build_array(id, ended_at, cookie_hash) ORDER BY id) FROM sessions WHERE user_id = $1`,
    },
  ],
  start(house) {
    const { database, config, demo, address, keyChanges } = house;
    const users = house.get(Users);
    const all = new Sessions(database, { users, denied: house.get(DeniedAttempts), keyChanges }, config.sessions, demo);
    house.add(all);
    return {
      owners: { session: (reference) => all.owned(readId(reference, 'session')) },
      routes: async (app) =>
        (await import('./routes.js')).sessionRoutes(app, { sessions: all, users, address, config }),
      jobs: [{ does: 'forget sessions, keys and attempts of the past', run: () => all.forget() }],
    };
  },
};
