import { createHash, randomBytes, webcrypto } from 'node:crypto';
import { errors, SignJWT, jwtVerify } from 'jose';
import type { DataSource } from 'typeorm';
import type { KeyChanges } from '../../ground/keys/key-changes.js';
import { Keyring } from '../../ground/keys/keyring.js';
import type { SigningKey } from '../../ground/keys/signing-key.entity.js';

/** The issuer and audience of our own tokens. */
export const ISSUER = 'gather-lane';

/** A key as it signs and verifies; made once, for making one takes as long as verifying a token. */
interface ReadyKey {
  readonly id: string;
  readonly secret: webcrypto.CryptoKey;
}

const makeReady = async ({ id, secret }: SigningKey): Promise<ReadyKey> => ({
  id,
  secret: await webcrypto.subtle.importKey('raw', secret, { name: 'HMAC', hash: 'SHA-256' }, false, ['sign', 'verify']),
});

/** What a good access token names. */
export interface TokenClaims {
  readonly sessionId: string;
  readonly userId: string;
  readonly keyId: string;
  /** Whether the session was alive when it was last looked at; it is looked at again for each call. */
  alive: boolean;
}

/** A token whose signature was found good: under the same key it stays so. */
interface Verified extends TokenClaims {
  /** In seconds since the epoch. */
  readonly expires: number;
}

/** About 10 MB of them; the first are forgotten first. */
const MOST_VERIFIED = 20_000;

/** Signs and reads access tokens (JWT, HS256) with keys that all processes of a database share. */
export class AccessTokens {
  readonly #keys: Keyring<ReadyKey>;
  readonly #verified = new Map<string, Verified>();

  constructor(dataSource: DataSource, changes: KeyChanges) {
    this.#keys = new Keyring(dataSource, changes, 'tokens', makeReady);
  }

  /** An access token that names a session and its user. */
  async sign(sessionId: string, userId: string, seconds: number): Promise<string> {
    const key = await this.#keys.newestOfAll();
    return new SignJWT({ sid: sessionId })
      .setProtectedHeader({ alg: 'HS256', typ: 'at+jwt', kid: key.id })
      .setSubject(userId)
      .setIssuer(ISSUER)
      .setAudience(ISSUER)
      .setIssuedAt()
      .setExpirationTime(Math.floor(Date.now() / 1000) + seconds)
      .sign(key.secret);
  }

  /**
   * What a good token names that came before; undefined for any other, which has to be read. A signature is computed once for each
   * token, which a crowd of calls comes with; whether its key still counts and whether it has expired is looked at each time.
   */
  known(token: string): TokenClaims | undefined {
    const found = this.#verified.get(token);
    if (!found || !this.#keys.known(({ id }) => id === found.keyId)) return undefined;
    if (found.expires > Math.floor(Date.now() / 1000)) return found;
    this.#verified.delete(token);
    return undefined;
  }

  /** What a good token names, or null. */
  async read(token: string): Promise<TokenClaims | null> {
    try {
      const { payload, protectedHeader } = await jwtVerify(token, ({ kid }) => this.#secretOf(kid), {
        algorithms: ['HS256'],
        issuer: ISSUER,
        audience: ISSUER,
        typ: 'at+jwt',
        requiredClaims: ['exp', 'sub', 'sid'],
        // By the same clock as one that came before.
        currentDate: new Date(Date.now()),
      });
      const { sid, sub, exp } = payload;
      if (typeof sid !== 'string') return null;
      const verified = { sessionId: sid, userId: sub!, alive: false, keyId: protectedHeader.kid!, expires: exp! };
      if (this.#verified.size >= MOST_VERIFIED) this.#verified.delete(this.#verified.keys().next().value!);
      this.#verified.set(token, verified);
      return verified;
    } catch (error) {
      if (error instanceof errors.JOSEError || error instanceof UnknownKey) return null;
      throw error;
    }
  }

  /**
   * Makes a new key, which signs from now on. Older ones go on verifying what they signed, until that has expired.
   * @param atOnce drops the older ones now: every access token is refused, and each session refreshes
   */
  rotate(atOnce: boolean): Promise<void> {
    return this.#keys.rotate(atOnce);
  }

  /** Forgets keys whose successor is older than any token that they signed. */
  forgetOld(longestSeconds: number): Promise<void> {
    return this.#keys.forgetOld(longestSeconds);
  }

  async #secretOf(id: string | undefined): Promise<webcrypto.CryptoKey> {
    const isMeant = (key: ReadyKey) => key.id === id;
    const key = (await this.#keys.all(isMeant)).find(isMeant);
    if (!key) throw new UnknownKey();
    return key.secret;
  }
}

class UnknownKey extends Error {}

/** A refresh token in its parts. */
export interface RefreshToken {
  readonly sessionId: string;
  /** What all refresh tokens of the session have in common. */
  readonly family: string;
  /** Changes with each rotation: 256 bits. */
  readonly secret: string;
}

/** A new refresh token of a session; the first one makes its family. */
export const makeRefreshToken = (sessionId: string, family = randomBytes(16).toString('base64url')): RefreshToken => ({
  sessionId,
  family,
  secret: randomBytes(32).toString('base64url'),
});

/** The token as it is sent. */
export const writeRefreshToken = ({ sessionId, family, secret }: RefreshToken): string =>
  `${sessionId}.${family}.${secret}`;

/** A refresh token that was sent, or null when it has not their form. */
export function readRefreshToken(text: string): RefreshToken | null {
  const [, sessionId, family, secret] = /^([0-9a-f-]{36})\.([\w-]{22})\.([\w-]{43})$/.exec(text) ?? [];
  return sessionId === undefined ? null : { sessionId, family: family!, secret: secret! };
}

/** What is stored of a secret. */
export const hashOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();
