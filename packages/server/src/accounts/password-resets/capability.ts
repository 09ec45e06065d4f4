import type { Capability } from '../../ground/capability/capability.js';
import { Mailer } from '../mail/mailer.js';
import { Sessions } from '../sessions/service.js';
import { Users } from '../users/service.js';
import { TRIALS } from './ownership.js';
import { PasswordReset } from './password-reset.entity.js';
import { PasswordResets } from './service.js';

/** A new password by mail. */
export const passwordResets: Capability = {
  name: 'password resets',
  entities: [PasswordReset],
  tables: {
    password_resets: { shown: ['user_id', 'created_at', 'expires_at', 'used_at'], secret: ['token_hash'] },
  },
  trials: TRIALS,
  start(house) {
    const { database, config, address } = house;
    const others = { users: house.get(Users), sessions: house.get(Sessions), mailer: house.get(Mailer) };
    const resets = house.add(new PasswordResets(database, others, address, config.mail.resetLink));
    return {
      routes: async (app) => (await import('./routes.js')).passwordResetRoutes(app, { resets, config }),
      jobs: [{ does: 'forget links of the past', run: () => resets.forget() }],
    };
  },
};
