import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const PREFIX = 'gl-operator-';

/** The operator key: proves that a call comes from whoever runs the service. */
export class OperatorKey {
  /** Where the key is kept. */
  readonly path: string;
  readonly #key: string;

  /** Reads the key of a data folder, or makes one there (mode 0600). */
  constructor(data: string) {
    this.path = join(data, 'operator.key');
    if (!existsSync(this.path))
      writeFileSync(this.path, PREFIX + randomBytes(32).toString('base64url') + '\n', { mode: 0o600 });
    chmodSync(this.path, 0o600);
    this.#key = readFileSync(this.path, 'utf8').trim();
  }

  /** Whether a bearer token is meant as an operator key at all. */
  looksLikeOne(token: string): boolean {
    return token.startsWith(PREFIX);
  }

  /** The key as a bearer token. */
  get bearer(): string {
    return this.#key;
  }

  matches(token: string): boolean {
    const digest = (text: string) => createHash('sha256').update(text).digest();
    return timingSafeEqual(digest(token), digest(this.#key));
  }
}
