import { createHash, randomBytes, webcrypto } from 'node:crypto';
import { errors, SignJWT, jwtVerify } from 'jose';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { SigningKey } from './signing-key.entity.js';

/** The issuer and audience of our own tokens. */
export const ISSUER = 'gather-lane';
const LOOK_AGAIN_MS = 2_000;
const FORGET_KEYS = `
  DELETE FROM signing_keys k WHERE EXISTS (
    SELECT FROM signing_keys n WHERE (n.created_at, n.id) > (k.created_at, k.id)
      AND n.created_at < clock_timestamp() - make_interval(secs => $1))`;

/** For how long a key is used without looking whether there is a newer one. */
const RELOAD_MS = 60_000;

/** A key as it signs and verifies; made once, for making one takes as long as verifying a token. */
interface ReadyKey {
  readonly id: string;
  readonly secret: webcrypto.CryptoKey;
}

const makeReady = async ({ id, secret }: SigningKey): Promise<ReadyKey> => ({
  id,
  secret: await webcrypto.subtle.importKey('raw', secret, { name: 'HMAC', hash: 'SHA-256' }, false, ['sign', 'verify']),
});

/**
 * Signs and reads access tokens (JWT, HS256) with keys that all processes of a database share. The newest key signs, all
 * that are there verify. A token that names a key which this process does not know yet makes it look once more.
 */
export class AccessTokens {
  readonly #dataSource: DataSource;
  #keys: Promise<ReadyKey[]> | undefined;
  #loadedAt = 0;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** An access token that names a session and its user. */
  async sign(sessionId: string, userId: string, seconds: number): Promise<string> {
    const [key] = await this.#load(RELOAD_MS);
    return new SignJWT({ sid: sessionId })
      .setProtectedHeader({ alg: 'HS256', typ: 'at+jwt', kid: key!.id })
      .setSubject(userId)
      .setIssuer(ISSUER)
      .setAudience(ISSUER)
      .setIssuedAt()
      .setExpirationTime(Math.floor(Date.now() / 1000) + seconds)
      .sign(key!.secret);
  }

  /** The session that a good token names, or null. */
  async read(token: string): Promise<string | null> {
    try {
      const { payload } = await jwtVerify(token, ({ kid }) => this.#secretOf(kid), {
        algorithms: ['HS256'],
        issuer: ISSUER,
        audience: ISSUER,
        typ: 'at+jwt',
        requiredClaims: ['exp', 'sub', 'sid'],
      });
      return typeof payload.sid === 'string' ? payload.sid : null;
    } catch (error) {
      if (error instanceof errors.JOSEError || error instanceof UnknownKey) return null;
      throw error;
    }
  }

  /**
   * Makes a new key, which signs from now on. Older ones go on verifying what they signed, until that has expired.
   * @param atOnce drops the older ones now: every access token is refused, and each session refreshes
   */
  async rotate(atOnce: boolean): Promise<void> {
    await this.#dataSource.manager.insert(SigningKey, { id: uuidv7(), secret: randomBytes(48) });
    if (atOnce)
      await this.#dataSource.query(
        `DELETE FROM signing_keys WHERE id <> (SELECT id FROM signing_keys ORDER BY created_at DESC, id DESC LIMIT 1)`,
      );
    this.#keys = undefined;
  }

  /** Forgets keys whose successor is older than any token that they signed. */
  async forgetOld(longestSeconds: number): Promise<void> {
    await this.#dataSource.query(FORGET_KEYS, [longestSeconds + RELOAD_MS / 1000]);
  }

  async #secretOf(kid: string | undefined): Promise<webcrypto.CryptoKey> {
    const find = async (atMostOld: number) => (await this.#load(atMostOld)).find((key) => key.id === kid)?.secret;
    // Another process may have made it since; but no flood of made-up keys makes a flood of statements.
    const secret = (await find(RELOAD_MS)) ?? (await find(LOOK_AGAIN_MS));
    if (!secret) throw new UnknownKey();
    return secret;
  }

  #load(atMostOld: number): Promise<ReadyKey[]> {
    if (this.#keys && Date.now() - this.#loadedAt <= atMostOld) return this.#keys;
    this.#loadedAt = Date.now();
    const keys = this.#loadOrMake().then((rows) => Promise.all(rows.map(makeReady)));
    this.#keys = keys.catch((error: unknown) => {
      this.#keys = undefined;
      throw error;
    });
    return this.#keys;
  }

  async #loadOrMake(): Promise<SigningKey[]> {
    const order = { createdAt: 'DESC', id: 'DESC' } as const;
    const keys = await this.#dataSource.manager.find(SigningKey, { order });
    if (keys.length > 0) return keys;
    return this.#dataSource.transaction(async (manager) => {
      // Two processes that start at once on an empty table agree on one key.
      await manager.query(`LOCK TABLE signing_keys IN SHARE ROW EXCLUSIVE MODE`);
      const there = await manager.find(SigningKey, { order });
      return there.length > 0
        ? there
        : [await manager.save(manager.create(SigningKey, { id: uuidv7(), secret: randomBytes(48) }))];
    });
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
