import { createHash, randomBytes } from 'node:crypto';
import { SignJWT, jwtVerify } from 'jose';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { SigningKey } from './signing-key.entity.js';

const ISSUER = 'gather-lane';

/** Signs and reads access tokens (JWT, HS256) with a key that all processes of a database share. */
export class AccessTokens {
  readonly #dataSource: DataSource;
  #keys: Promise<SigningKey[]> | undefined;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** An access token that names a session and its user. */
  async sign(sessionId: string, userId: string, seconds: number): Promise<string> {
    const [key] = await this.#load();
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
    const keys = await this.#load();
    try {
      const { payload } = await jwtVerify(
        token,
        ({ kid }) => keys.find((key) => key.id === kid)?.secret ?? Buffer.alloc(32),
        {
          algorithms: ['HS256'],
          issuer: ISSUER,
          audience: ISSUER,
          typ: 'at+jwt',
          requiredClaims: ['exp', 'sub', 'sid'],
        },
      );
      return typeof payload.sid === 'string' ? payload.sid : null;
    } catch {
      return null;
    }
  }

  #load(): Promise<SigningKey[]> {
    this.#keys ??= this.#loadOrMake().catch((error: unknown) => {
      this.#keys = undefined;
      throw error;
    });
    return this.#keys;
  }

  async #loadOrMake(): Promise<SigningKey[]> {
    return this.#dataSource.transaction(async (manager) => {
      // Two processes that start at once on an empty table agree on one key.
      await manager.query(`LOCK TABLE signing_keys IN SHARE ROW EXCLUSIVE MODE`);
      const keys = await manager.find(SigningKey, { order: { createdAt: 'DESC' } });
      return keys.length > 0
        ? keys
        : [await manager.save(manager.create(SigningKey, { id: uuidv7(), secret: randomBytes(48) }))];
    });
  }
}

/** A refresh token: the id of its session and a secret of 256 bits. */
export const makeRefreshToken = (sessionId: string): string => `${sessionId}.${randomBytes(32).toString('base64url')}`;

/** What is stored of a refresh token. */
export const hashRefreshToken = (token: string): Buffer => createHash('sha256').update(token).digest();

/** The session that a refresh token names, or null when it has not their form. */
export const sessionOfRefreshToken = (token: string): string | null =>
  /^([0-9a-f-]{36})\.[\w-]{43}$/.exec(token)?.[1] ?? null;
