import type { Caller } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import { signedIn } from './doorway.js';

/** The signed-in caller of a request whose rule asks for one. */
export const userCaller = (request: FastifyRequest): Caller & { kind: 'user' } => ({
  kind: 'user',
  id: signedIn(request).userId,
});
