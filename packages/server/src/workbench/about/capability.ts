import { Mailbox } from '../../accounts/mail/mailbox.js';
import type { Capability } from '../../ground/capability/capability.js';
import { TRIALS } from './ownership.js';

/** What the service says of itself. */
export const about: Capability = {
  name: 'about',
  trials: TRIALS,
  start: (house) => ({
    routes: async (app) =>
      (await import('./routes.js')).aboutRoutes(app, {
        config: house.config,
        demo: house.demo,
        mailbox: house.find(Mailbox),
      }),
  }),
};
