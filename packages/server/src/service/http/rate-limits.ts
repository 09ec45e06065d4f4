import rateLimit, { type FastifyRateLimitStore, type FastifyRateLimitStoreCtor } from '@fastify/rate-limit';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Config } from '../../ground/config/schema.js';
import { isOwnCheck } from '../../ground/http/own-check.js';
import { Problem } from '../../ground/http/problem.js';
import type { Count, SharedCounts } from '../../ground/rates/shared-counts.js';

const WINDOW_MS = 60_000;

/** Counts calls. */
export interface RateLimits {
  /**
   * Counts a call of its caller: a user, wherever they are; whoever is nobody, or has a credential that is no good, by address.
   * The reply says what is left in the headers of the IETF draft (RateLimit-…).
   * @throws Problem `too-often`
   */
  count(request: FastifyRequest, reply: FastifyReply): Promise<void> | void;
}

/**
 * Limits how often anybody calls: first an address, whoever it is, before anything is looked at; then a caller, whether they are
 * let in or refused. A route may have a limit of its own beside, which counts addresses. Those two count every call: where nobody has to
 * be waited for they make no promise, of which the way through the package has eighteen.
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
    timeWindow: WINDOW_MS,
    store: storeOf(counts),
    enableDraftSpec: true,
    keyGenerator: ({ ip, method, routeOptions: { url } }) => `route ${method} ${url} ${ip}`,
    allowList: (request) => isOwnCheck(request, pass),
    errorResponseBuilder: (_request, { after, ttl }) => tooOften(after, Math.ceil(ttl / 1000)),
  });
  const { callsFromAddressPerMinute: mostOfAddress, callsPerMinute: mostOfCaller } = rates;
  app.addHook('onRequest', (request, _reply, done) => {
    if (isOwnCheck(request, pass)) return done();
    const counted = counts.count(`address ${request.ip}`, WINDOW_MS, mostOfAddress);
    if (counted instanceof Promise) counted.then((heard) => done(refusalOf(heard, mostOfAddress)), done);
    else done(refusalOf(counted, mostOfAddress));
  });
  return {
    count(request, reply) {
      const { caller } = request.principal;
      if (caller.kind === 'operator' || isOwnCheck(request, pass)) return;
      const who = caller.kind === 'user' ? caller.id : `caller ${request.ip}`;
      const counted = counts.count(who, WINDOW_MS, mostOfCaller);
      const tell = (count: Count) => {
        void reply
          .header('ratelimit-limit', mostOfCaller)
          .header('ratelimit-remaining', Math.max(0, mostOfCaller - count.current))
          .header('ratelimit-reset', Math.ceil(count.ttl / 1000));
        const refusal = refusalOf(count, mostOfCaller);
        if (refusal) throw refusal;
      };
      return counted instanceof Promise ? counted.then(tell) : tell(counted);
    },
  };
}

/** Why a call is refused; nothing for one that is not. */
function refusalOf({ current, ttl }: Count, most: number): Problem | undefined {
  const seconds = Math.ceil(ttl / 1000);
  return current > most ? tooOften(`${seconds} seconds`, seconds) : undefined;
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
