import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { closed } from '../../ground/http/schemas.js';
import type { PasswordResets } from './service.js';
import type { Config } from '../../ground/config/schema.js';

/** What these are made of. */
interface Needs {
  readonly resets: PasswordResets;
  readonly config: Config;
}

const BODY = ['invalid', 'too-often', 'too-large', 'wrong-media-type'] as const;

/** Routes for who forgot their password. */
export function passwordResetRoutes(app: App, { resets, config }: Needs): void {
  const rateLimit = { max: config.rates.signInsPerMinute, timeWindow: '1 minute' };

  app.post(
    '/v1/password-resets',
    {
      config: { lasting: 'it sends mail', doorway: 'anyone', rateLimit },
      schema: {
        operationId: 'requestPasswordReset',
        tags: ['accounts'],
        summary: 'Send a one-time link to an e-mail, if it belongs to an account; the answer is the same either way',
        body: closed({ email: Type.String({ format: 'email', maxLength: 254 }) }),
        response: replies({ 202: Type.Null() }, ['no-mail', ...BODY]),
      },
    },
    async (request, reply) => {
      resets.requireMail();
      // Looked up and sent once the answer is out, so that its time tells nothing either.
      void reply.raw.once('finish', () => {
        void resets.send(request.body.email).catch((error: unknown) => request.log.error(error));
      });
      return reply.code(202).send(null);
    },
  );

  app.post(
    '/v1/password-resets/redeem',
    {
      config: { doorway: 'anyone', rateLimit },
      schema: {
        operationId: 'redeemPasswordReset',
        tags: ['accounts'],
        summary: 'Set a new password by a one-time link; every session ends',
        body: closed({
          token: Type.String({ maxLength: 100, description: 'What the link carries' }),
          password: Type.String({ minLength: 10, maxLength: 200 }),
        }),
        response: replies({ 204: Type.Null() }, ['bad-link', ...BODY]),
      },
    },
    async (request, reply) => {
      await resets.redeem(request.body.token, request.body.password);
      return reply.code(204).send(null);
    },
  );
}
