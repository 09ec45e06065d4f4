import type { FastifyRequest } from 'fastify';
import { Type } from 'typebox';
import { signedIn } from '../http/doorway.js';
import { contentOf, type IdempotentCall } from './service.js';

/** The header of calls that may be repeated. */
export const idempotencyHeaders = Type.Object({
  'idempotency-key': Type.Optional(
    Type.String({
      minLength: 1,
      maxLength: 255,
      description: 'Names this call: sent again within 24 hours with the same content, it makes nothing anew',
    }),
  ),
});

/** The repeatable call that a request is, or null when it carries no key. @param parts what it sends */
export function idempotentCallOf(request: FastifyRequest, ...parts: (string | Buffer)[]): IdempotentCall | null {
  const key = request.headers['idempotency-key'];
  if (typeof key !== 'string') return null;
  const route = `${request.method} ${request.url.split('?')[0]}`;
  return { userId: signedIn(request).userId, route, key, content: contentOf(...parts) };
}
