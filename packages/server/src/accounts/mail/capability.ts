import type { Capability } from '../../ground/capability/capability.js';
import { Mailbox } from './mailbox.js';
import { Mailer } from './mailer.js';
import { TRIALS } from './ownership.js';

/** Sending mails; in the demo, into a mailbox of its own. */
export const mail: Capability = {
  name: 'mail',
  trials: TRIALS,
  start(house) {
    const mailbox = house.find(Mailbox);
    house.add(new Mailer(house.config.mail, mailbox?.address));
    return { routes: async (app) => (await import('./routes.js')).mailRoutes(app, { mailbox }) };
  },
};
