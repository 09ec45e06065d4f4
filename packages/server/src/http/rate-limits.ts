import rateLimit from '@fastify/rate-limit';
import type { FastifyInstance } from 'fastify';
import type { Config } from '../config/schema.js';
import { isOwnCheck } from './own-check.js';
import { Problem } from './problem.js';

/**
 * Limits how often one caller calls: a user, wherever they are, or else an address. A route may have a limit of its own
 * beside, which counts addresses. Replies say what is left in the headers of the IETF draft (RateLimit-…).
 */
export async function useRateLimits(app: FastifyInstance, { rates }: Config, pass: string): Promise<void> {
  await app.register(rateLimit, {
    global: true,
    hook: 'preValidation',
    max: rates.callsPerMinute,
    timeWindow: '1 minute',
    enableDraftSpec: true,
    keyGenerator: (request) => request.principal?.session?.userId ?? request.ip,
    allowList: (request) => isOwnCheck(request, pass) || request.principal?.caller.kind === 'operator',
    errorResponseBuilder: (_request, { after }) => new Problem('too-often', `Too many calls: try again in ${after}.`),
  });
}
