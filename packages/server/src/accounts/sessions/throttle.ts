import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { DataSource } from 'typeorm';
import { Problem } from '../../ground/http/problem.js';

/** Attempts that are free of waiting; from then on each has to wait twice as long as the one before. */
const FREE = 5;
const LONGEST_WAIT_S = 900;
/** From so many attempts on an account, whatever their addresses, each answer takes a little longer. */
const GENTLY_FROM = 20;
const GENTLE_STEP_MS = 100;
const MOST_GENTLE_MS = 2_000;

/**
 * Counts an attempt unless one has to wait still: a row comes back when it may go on. The attempt is counted before it is
 * made, and under the row's lock, so that a hundred at once do not all slip through. A quarter of an hour's rest starts anew.
 * Cost: one upsert by key.
 */
const COUNT = `
  INSERT INTO sign_in_attempts (key, n) VALUES ($1, 1)
  ON CONFLICT (key) DO UPDATE SET last_at = clock_timestamp(),
    n = CASE WHEN sign_in_attempts.last_at < clock_timestamp() - make_interval(secs => ${LONGEST_WAIT_S}) THEN 1 ELSE sign_in_attempts.n + 1 END
  WHERE $2 OR sign_in_attempts.n < ${FREE}
    OR sign_in_attempts.last_at + make_interval(secs => least(power(2, sign_in_attempts.n - ${FREE}), ${LONGEST_WAIT_S})) <= clock_timestamp()
  RETURNING n`;

const WAIT = `
  SELECT ceil(extract(epoch FROM last_at + make_interval(secs => least(power(2, n - ${FREE}), ${LONGEST_WAIT_S})) - clock_timestamp()))::integer AS seconds
  FROM sign_in_attempts WHERE key = $1`;

const keyOf = (...parts: string[]): Buffer => createHash('sha256').update(parts.join('\0')).digest();

/**
 * Slows whoever guesses passwords: refused by (account, address), so that a guesser is stopped and the owner, elsewhere,
 * is not; and gently, by making each answer wait, by account alone, against guessing from many addresses.
 */
export class Throttle {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /** Counts an attempt and waits as long as it has to. @throws Problem `too-often` with the seconds to wait */
  async attempt(account: string, address: string): Promise<void> {
    const pair = keyOf('pair', account, address);
    const counted = await this.#dataSource.query<{ n: number }[]>(COUNT, [pair, false]);
    if (counted.length === 0) {
      const [row] = await this.#dataSource.query<{ seconds: number }[]>(WAIT, [pair]);
      const seconds = Math.max(1, row?.seconds ?? 1);
      const detail = `Too many attempts on this account from here: try again in ${seconds} s. From elsewhere it is not locked.`;
      throw new Problem('too-often', detail, undefined, seconds);
    }
    const [all] = await this.#dataSource.query<{ n: number }[]>(COUNT, [keyOf('account', account), true]);
    const over = (all?.n ?? 0) - GENTLY_FROM;
    if (over > 0) await pause(Math.min(over * GENTLE_STEP_MS, MOST_GENTLE_MS));
  }

  /** A right password: this address starts anew. */
  async succeeded(account: string, address: string): Promise<void> {
    await this.#dataSource.query(`DELETE FROM sign_in_attempts WHERE key = $1`, [keyOf('pair', account, address)]);
  }

  /** Forgets attempts that slow nobody any more. */
  async forget(): Promise<void> {
    await this.#dataSource.query(
      `DELETE FROM sign_in_attempts WHERE last_at < clock_timestamp() - make_interval(secs => 2 * ${LONGEST_WAIT_S})`,
    );
  }
}
