import helmet from '@fastify/helmet';
import fastify, { type FastifyInstance } from 'fastify';
import type { PublicAddress } from '../../ground/http/public-address.js';

/**
 * Sets on every reply the headers that keep a browser from being led astray. They are the same for all replies, so they are made
 * once: making them for each took a fiftieth of the time of a page.
 */
export async function useSecurityHeaders(app: FastifyInstance, address: PublicAddress): Promise<void> {
  const headers = await securityHeaders(address.base.startsWith('https:'));
  app.addHook('onRequest', (_request, reply, done) => {
    void reply.headers(headers);
    done();
  });
}

/** What Node and Fastify set themselves. */
const OF_ANY_REPLY = ['connection', 'content-length', 'content-type', 'date'];

/** What helmet sets on a reply. @param secure whether the service is reached by https */
async function securityHeaders(secure: boolean): Promise<Record<string, string>> {
  const app = fastify();
  await app.register(helmet, {
    contentSecurityPolicy: {
      directives: {
        'default-src': ["'self'"],
        'img-src': ["'self'", 'data:'],
        'script-src': ["'self'"],
        // MUI writes its styles into the page.
        'style-src': ["'self'", "'unsafe-inline'"],
        'connect-src': ["'self'"],
        'frame-ancestors': ["'none'"],
        'upgrade-insecure-requests': secure ? [] : null,
      },
    },
    strictTransportSecurity: secure ? undefined : false,
  });
  app.get('/', (_request, reply) => reply.send());
  const { headers } = await app.inject('/');
  await app.close();
  const set = Object.entries(headers).filter(([name]) => !OF_ANY_REPLY.includes(name));
  return Object.fromEntries(set.map(([name, value]) => [name, String(value)]));
}
