import rateLimit, { type FastifyRateLimitStore, type FastifyRateLimitStoreCtor } from '@fastify/rate-limit';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Config } from '../../ground/config/schema.js';
import { isOwnCheck } from '../../ground/http/own-check.js';
import { Problem } from '../../ground/http/problem.js';
import type { SharedCounts } from '../../ground/rates/shared-counts.js';

const WINDOW = '1 minute';

/** Counts calls. */
export interface RateLimits {
  /**
   * Counts a call of its caller: a user, wherever they are; whoever is nobody, or has a credential that is no good, by address.
   * The reply says what is left in the headers of the IETF draft (RateLimit-…).
   * @throws Problem `too-often`
   */
  count(request: FastifyRequest, reply: FastifyReply): Promise<void>;
}

/**
 * Limits how often anybody calls: first an address, whoever it is, before anything is looked at; then a caller, whether they are
 * let in or refused. A route may have a limit of its own beside, which counts addresses.
 */
export async function useRateLimits(
  app: FastifyInstance,
  { rates }: Config,
  pass: string,
  counts: SharedCounts,
): Promise<RateLimits> {
  await app.register(rateLimit, {
    global: false,
    hook: 'preValidation',
    timeWindow: WINDOW,
    store: storeOf(counts),
    enableDraftSpec: true,
    keyGenerator: ({ ip, method, routeOptions: { url } }) => `route ${method} ${url} ${ip}`,
    allowList: (request) => isOwnCheck(request, pass),
    errorResponseBuilder: (_request, { after, ttl }) => tooOften(after, Math.ceil(ttl / 1000)),
  });
  const ofAddress = app.createRateLimit({
    max: rates.callsFromAddressPerMinute,
    timeWindow: WINDOW,
    keyGenerator: ({ ip }) => `address ${ip}`,
  });
  const ofCaller = app.createRateLimit({
    max: rates.callsPerMinute,
    timeWindow: WINDOW,
    keyGenerator: ({ principal: { caller }, ip }) => (caller.kind === 'user' ? caller.id : `caller ${ip}`),
    allowList: (request) => isOwnCheck(request, pass) || request.principal.caller.kind === 'operator',
  });
  app.addHook('onRequest', async (request) => {
    const counted = await ofAddress(request);
    if (!counted.isAllowed && counted.isExceeded)
      throw tooOften(`${counted.ttlInSeconds} seconds`, counted.ttlInSeconds);
  });
  return {
    async count(request, reply) {
      const counted = await ofCaller(request);
      if (counted.isAllowed) return;
      const { max, remaining, ttlInSeconds, isExceeded } = counted;
      void reply
        .header('ratelimit-limit', max)
        .header('ratelimit-remaining', remaining)
        .header('ratelimit-reset', ttlInSeconds);
      if (isExceeded) throw tooOften(`${ttlInSeconds} seconds`, ttlInSeconds);
    },
  };
}

const tooOften = (after: string, seconds: number): Problem =>
  new Problem('too-often', `Too many calls: try again in ${after}.`, undefined, Math.max(1, seconds));

/** The store of the package that says who is refused: it counts over all processes. */
const storeOf = (counts: SharedCounts): FastifyRateLimitStoreCtor =>
  class implements FastifyRateLimitStore {
    incr(
      key: string,
      counted: (error: Error | null, count?: { current: number; ttl: number }) => void,
      windowMs = 60_000,
      most = Infinity,
    ): void {
      const count = counts.count(key, windowMs, most);
      if (!(count instanceof Promise)) return counted(null, count);
      count.then((heard) => counted(null, heard), counted);
    }

    /** What is told apart is told apart by the keys. */
    child(): FastifyRateLimitStore {
      return this;
    }
  };
