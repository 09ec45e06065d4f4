import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { SignJWT, jwtVerify } from 'jose';

const PREFIX = 'gl-operator-';
const BROWSER_HOURS = 12;

/** The operator key: proves that a call comes from whoever runs the service. */
export class OperatorKey {
  /** Where the key is kept. */
  readonly path: string;
  readonly #key: string;
  readonly #browserSecret: Uint8Array;

  /** Reads the key of a data folder, or makes one there (mode 0600). */
  constructor(data: string) {
    this.path = join(data, 'operator.key');
    if (!existsSync(this.path))
      writeFileSync(this.path, PREFIX + randomBytes(32).toString('base64url') + '\n', { mode: 0o600 });
    chmodSync(this.path, 0o600);
    this.#key = readFileSync(this.path, 'utf8').trim();
    // Derived, so that a new key ends the browser sessions of the old one.
    this.#browserSecret = createHash('sha256').update('operator browser session').update(this.#key).digest();
  }

  /** Whether a bearer token is meant as an operator key at all. */
  looksLikeOne(token: string): boolean {
    return token.startsWith(PREFIX);
  }

  /** The key as a bearer token, for the service's own check of itself. */
  get bearer(): string {
    return this.#key;
  }

  matches(token: string): boolean {
    const digest = (text: string) => createHash('sha256').update(text).digest();
    return timingSafeEqual(digest(token), digest(this.#key));
  }

  /** The value of the cookie that a browser gets for the key. */
  openBrowserSession(): Promise<string> {
    return new SignJWT({})
      .setProtectedHeader({ alg: 'HS256' })
      .setSubject('operator')
      .setExpirationTime(`${BROWSER_HOURS}h`)
      .sign(this.#browserSecret);
  }

  async isBrowserSession(cookie: string): Promise<boolean> {
    return jwtVerify(cookie, this.#browserSecret, { algorithms: ['HS256'], subject: 'operator' }).then(
      () => true,
      () => false,
    );
  }
}
