import { createHash, randomBytes } from 'node:crypto';
import type { DataSource } from 'typeorm';
import type { OperatorKey } from './key.js';

const HOURS = 12;
const OPEN = `INSERT INTO operator_sessions (token_hash, expires_at) VALUES ($1, clock_timestamp() + make_interval(hours => ${HOURS}))`;
const CHECK = `SELECT FROM operator_sessions WHERE token_hash = $1 AND expires_at > clock_timestamp()`;
const CLOSE = `DELETE FROM operator_sessions WHERE token_hash = $1`;
const FORGET = `DELETE FROM operator_sessions WHERE expires_at < clock_timestamp()`;

/** Sessions of the operator in browsers: each ends when it is closed, after half a day, and with the key that opened it. */
export class OperatorBrowserSessions {
  readonly #dataSource: DataSource;
  readonly #key: OperatorKey;

  constructor(dataSource: DataSource, key: OperatorKey) {
    this.#dataSource = dataSource;
    this.#key = key;
  }

  /** Opens one. @returns the value of its cookie */
  async open(): Promise<string> {
    const cookie = randomBytes(32).toString('base64url');
    await this.#dataSource.query(OPEN, [this.#hashOf(cookie)]);
    return cookie;
  }

  /** Whether a cookie is of a session that is open. Cost: one probe of the key. */
  async isOpen(cookie: string): Promise<boolean> {
    return (await this.#dataSource.query<unknown[]>(CHECK, [this.#hashOf(cookie)])).length > 0;
  }

  /** Closes one: its cookie is refused from then on, wherever it was copied to. */
  async close(cookie: string): Promise<void> {
    await this.#dataSource.query(CLOSE, [this.#hashOf(cookie)]);
  }

  /** Forgets those that are over. */
  async forget(): Promise<void> {
    await this.#dataSource.query(FORGET);
  }

  #hashOf(cookie: string): Buffer {
    return createHash('sha256').update(this.#key.bearer).update('\0').update(cookie).digest();
  }
}
