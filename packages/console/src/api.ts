import { createClient, unwrap, type Client } from '@gather-lane/client';
import { readSession, writeSession } from './session/kept-session';

const address = window.location.origin;

/** Calls on behalf of the user that the console acts as. */
export const api: Client = createClient({
  address,
  token: () => readSession()?.accessToken ?? null,
  renew: async () => {
    const session = readSession();
    if (!session?.refreshToken) {
      writeSession(null);
      return false;
    }
    const { data } = await anonymous.POST('/v1/sessions/refresh', { body: { refreshToken: session.refreshToken } });
    writeSession(data ? { ...session, accessToken: data.accessToken, refreshToken: data.refreshToken } : null);
    return data !== undefined;
  },
});

/** Calls by nobody, and by the operator, whose cookie the browser adds where it belongs. */
export const anonymous: Client = createClient({ address });

export { unwrap };
