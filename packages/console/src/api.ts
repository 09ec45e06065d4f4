import { createClient, unwrap, type Client } from '@gather-lane/client';
import { readSession, writeSession } from './session/kept-session';

/**
 * Calls of the console. The browser adds the cookies: the user's to all calls, the operator's to those of the operator.
 * A session that has ended is forgotten, and the call made once more as nobody.
 */
export const api: Client = createClient({
  address: window.location.origin,
  renew: async (refusal) => {
    if (new URL(refusal.url).pathname.startsWith('/v1/operator')) return false;
    if (readSession()) writeSession(null);
    return true;
  },
});

export { unwrap };
