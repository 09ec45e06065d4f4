import {
  isSieveDue,
  makeSieve,
  sieveAfter,
  sieveOf,
  withSieve,
  type Sieve,
  type SieveHint,
  type WalkedPage,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { SIEVE_AUTHORS, type SieveRow } from './queries.js';

/** About 8 kB each at most; those that were not used for longest are forgotten first. */
const MOST_SIEVES = 500;

/** Reads what a sieve of somebody's feed is made of. */
export type ReadAuthors = (userId: string) => Promise<SieveRow | undefined>;

/** Reads it from a database. */
export const readSieve =
  (dataSource: Pick<DataSource, 'query'>): ReadAuthors =>
  async (userId) =>
    (await dataSource.query<SieveRow[]>(SIEVE_AUTHORS, [userId]))[0];

/** Sieves of the feeds of those who follow many and read them again and again, as far as this process has seen it. */
export class Sieves {
  readonly #read: ReadAuthors | null;
  readonly #hints = new Map<string, SieveHint>();

  /** @param read null where none are made */
  constructor(read: ReadAuthors | null = null) {
    this.#read = read;
  }

  /**
   * The sieve through which somebody's feed may be read, made now where that is due; none where it cannot be made, and then it is not tried
   * at the next page again. Cost: none, or reading whom they follow.
   */
  async of(userId: string): Promise<Sieve | undefined> {
    const [hint, now] = [this.#hints.get(userId), Date.now()];
    if (!this.#read || !isSieveDue(hint, now)) return sieveOf(hint, now);
    // The page can do without, and what is wrong with the database its own statement tells, to whose session is alive.
    const row = await this.#read(userId).catch(() => undefined);
    const sieve = row && makeSieve(row.hashes, row.state);
    this.#keep(userId, sieve && withSieve(hint!, sieve, now));
    return sieve;
  }

  /** Keeps what a page told. */
  learn(userId: string, page: WalkedPage): void {
    this.#keep(userId, sieveAfter(this.#hints.get(userId), page));
  }

  #keep(userId: string, hint: SieveHint | undefined): void {
    this.#hints.delete(userId);
    if (!hint) return;
    if (this.#hints.size >= MOST_SIEVES) this.#hints.delete(this.#hints.keys().next().value!);
    this.#hints.set(userId, hint);
  }
}
