import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';

const PREFIX = 'gl-operator-';
/** Long enough that nobody guesses it. */
const FORM = /^gl-operator-[\w-]{32,128}$/;
const KEY_VARIABLE = 'GATHER_LANE_OPERATOR_KEY';
const MAKE_ONE = `it is ${PREFIX} and at least 32 letters, digits, - or _ after it, as from \`echo "${PREFIX}$(openssl rand -hex 32)"\`.`;

/** A key that was given is none; the message says what one is. */
export class NoOperatorKey extends Error {
  override readonly name = 'NoOperatorKey';
}

/** Whence a key comes that several services share: the variable goes before the file. */
export interface GivenKey {
  readonly key?: string | undefined;
  readonly file?: string | undefined;
}

/** The operator key: proves that a call comes from whoever runs the service. */
export class OperatorKey {
  /** Where the key is kept: a file, or the variable that it was given in. */
  readonly path: string;
  readonly #key: string;

  /**
   * Takes the key that was given, so that all services of a database have one; else reads that of a data folder, or makes one there (mode 0600).
   * @throws NoOperatorKey for one that was given and is none
   */
  constructor(data: string, given: GivenKey = {}) {
    if (given.key !== undefined) {
      this.path = KEY_VARIABLE;
      this.#key = given.key.trim();
    } else if (given.file !== undefined) {
      this.path = resolve(data, given.file);
      if (!existsSync(this.path))
        throw new NoOperatorKey(`operatorKeyFile names ${this.path}, which is not there: ${MAKE_ONE}`);
      this.#key = readFileSync(this.path, 'utf8').trim();
    } else {
      this.path = join(data, 'operator.key');
      if (!existsSync(this.path))
        writeFileSync(this.path, PREFIX + randomBytes(32).toString('base64url') + '\n', { mode: 0o600 });
      chmodSync(this.path, 0o600);
      this.#key = readFileSync(this.path, 'utf8').trim();
    }
    if (!FORM.test(this.#key)) throw new NoOperatorKey(`${this.path} holds no operator key: ${MAKE_ONE}`);
  }

  /** Whether a bearer token is meant as an operator key at all. */
  looksLikeOne(token: string): boolean {
    return token.startsWith(PREFIX);
  }

  /** The key as a bearer token. */
  get bearer(): string {
    return this.#key;
  }

  /** What calls carry that the services with this key make to themselves or to each other, so that no limit counts them. */
  get pass(): string {
    return createHmac('sha256', this.#key).update('own calls').digest('base64url');
  }

  matches(token: string): boolean {
    const digest = (text: string) => createHash('sha256').update(text).digest();
    return timingSafeEqual(digest(token), digest(this.#key));
  }
}
