import type { Caller } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import { signedIn } from './doorway.js';

/** The signed-in caller of a request whose rule asks for one. */
export function userCaller(request: FastifyRequest): Caller & { kind: 'user' } {
  const { userId, moderator } = signedIn(request);
  return { kind: 'user', id: userId, moderator };
}
