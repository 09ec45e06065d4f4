import { readFile } from 'node:fs/promises';
import {
  createLocalJWKSet,
  createRemoteJWKSet,
  customFetch,
  decodeJwt,
  errors,
  jwtVerify,
  type JSONWebKeySet,
  type JWTVerifyGetKey,
} from 'jose';
import { tracedFetch } from '../../ground/traces/traced-fetch.js';
import { Problem } from '../../ground/http/problem.js';
import { ISSUER } from '../sessions/tokens.js';
import type { ClaimNames } from './claims.js';

/** An issuer elsewhere whose access tokens are taken as they are. */
export interface OutsideIssuer {
  readonly issuer: string;
  readonly audience: string;
  /** Address or file of its public keys, a JSON Web Key Set (RFC 7517). */
  readonly keys: string;
  readonly algorithms?: readonly string[];
  readonly clockToleranceSeconds?: number;
  readonly claims?: ClaimNames;
}

/** What a verified token says. */
export interface OutsideClaims {
  readonly issuer: OutsideIssuer;
  readonly subject: string;
  readonly claims: Record<string, unknown>;
}

/** Keys are asked for again when a token names one that is not known, once a minute at most. */
const REFETCH_MS = 60_000;
const KEPT_MS = 600_000;
/** So long keys are waited for: whoever calls hears within five seconds that they are not to be had. */
const KEYS_WITHIN_MS = 4_000;
/** What goes wrong with an issuer's keys, and not with a token: no answer, another status than 200, no key set. */
const KEYS_AWAY = ['ERR_JWKS_TIMEOUT', 'ERR_JOSE_GENERIC', 'ERR_JWKS_INVALID'];

/** Verifies bearer tokens of configured issuers, each with its own keys alone. */
export class OutsideTokens {
  readonly #verifiers: ReadonlyMap<string, { issuer: OutsideIssuer; keys: JWTVerifyGetKey }>;

  constructor(issuers: readonly OutsideIssuer[]) {
    this.#verifiers = new Map(issuers.map((issuer) => [issuer.issuer, { issuer, keys: keysOf(issuer.keys) }]));
  }

  /** The issuers whose tokens are taken. */
  get issuers(): readonly OutsideIssuer[] {
    return [...this.#verifiers.values()].map(({ issuer }) => issuer);
  }

  /** Whether a token says that it is of a configured issuer; then that one verifies it, and no other. */
  isOutside(token: string): boolean {
    if (this.#verifiers.size === 0) return false;
    const issuer = issuerOf(token);
    return issuer !== null && issuer !== ISSUER && this.#verifiers.has(issuer);
  }

  /** @throws Problem `bad-token`; `no-keys` when the issuer's keys are not to be had */
  async verify(token: string): Promise<OutsideClaims> {
    const { issuer, keys } = this.#verifiers.get(issuerOf(token)!)!;
    try {
      const { payload } = await jwtVerify(token, keys, {
        issuer: issuer.issuer,
        audience: issuer.audience,
        algorithms: [...(issuer.algorithms ?? ['RS256', 'ES256'])],
        clockTolerance: issuer.clockToleranceSeconds ?? 30,
        requiredClaims: ['exp', 'sub', 'iss', 'aud'],
      });
      if (!payload.sub || payload.sub.length > 255) throw new errors.JWTInvalid('it names nobody');
      return { issuer, subject: payload.sub, claims: payload };
    } catch (error) {
      if (!(error instanceof errors.JOSEError) || KEYS_AWAY.includes(error.code))
        throw new Problem(
          'no-keys',
          `The keys of ${issuer.issuer} are not to be had at ${issuer.keys}: try again in a moment.`,
        );
      throw new Problem('bad-token', `The token of ${issuer.issuer} is not good: ${error.message}.`);
    }
  }
}

function issuerOf(token: string): string | null {
  try {
    return decodeJwt(token).iss ?? null;
  } catch {
    return null;
  }
}

function keysOf(where: string): JWTVerifyGetKey {
  if (/^https?:/.test(where))
    return createRemoteJWKSet(new URL(where), {
      cooldownDuration: REFETCH_MS,
      cacheMaxAge: KEPT_MS,
      timeoutDuration: KEYS_WITHIN_MS,
      [customFetch]: tracedFetch,
    });
  return fileKeys(where);
}

/** Keys in a file, read again when a token names one that is not there, once a minute at most. */
function fileKeys(path: string): JWTVerifyGetKey {
  let [readAt, keys]: [number, Promise<JWTVerifyGetKey> | null] = [0, null];
  const read = (): Promise<JWTVerifyGetKey> => {
    readAt = Date.now();
    keys = readFile(path, 'utf8').then((text) => createLocalJWKSet(JSON.parse(text) as JSONWebKeySet));
    keys.catch(() => (keys = null));
    return keys;
  };
  return async (header, token) => {
    const find = await (keys && Date.now() - readAt < KEPT_MS ? keys : read());
    try {
      return await find(header, token);
    } catch (error) {
      if (!(error instanceof errors.JWKSNoMatchingKey) || Date.now() - readAt < REFETCH_MS) throw error;
      return (await read())(header, token);
    }
  };
}
