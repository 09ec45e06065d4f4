import { laterPlace } from '@gather-lane/core';
import type { PoolClient } from 'pg';

/**
 * What is surely on disk, and so reaches a standby. The *insert* place would name log that nobody has written out yet. Cost: 20 µs.
 */
const FLUSHED = `SELECT pg_current_wal_flush_lsn()::text AS place`;

/**
 * How far into the log all that was written through data sources reaches, as far as it was asked for along with the writes themselves:
 * the answer comes with theirs, at no round trip of its own. Of what is written otherwise it is only known that there was some.
 */
export class WrittenPlaces {
  #latest: string | null = null;
  /** How often something may have been written that nobody asked along with. */
  #otherwise = 0;
  /** How much of that was done when the questions that are answered were sent. */
  #covered = -1;

  /** A place that holds all that was written until now and is surely on disk; null where it has to be asked for. */
  get known(): string | null {
    return this.#covered === this.#otherwise ? this.#latest : null;
  }

  /** Something may have been written. */
  wroteOtherwise(): void {
    this.#otherwise++;
  }

  /** How much was done until now that nobody asked along with: what is said of a question that is sent now; see {@link heard}. */
  get done(): number {
    return this.#otherwise;
  }

  /** A place that was looked up by a question, which was sent when so much was done. */
  heard(place: string, done: number): void {
    this.#latest = this.#latest === null ? place : laterPlace(this.#latest, place);
    this.#covered = Math.max(this.#covered, done);
  }

  /** Asks on a connection, after what was sent on it; see {@link tell}. @returns the place; null where there is no answer */
  ask(client: PoolClient, prepares: boolean): Promise<string | null> {
    return new Promise((resolve) => this.tell(client, prepares, resolve));
  }

  /**
   * The same by a callback, for whoever has one.
   * @param prepares whether statements may be prepared by name: not on a connection of a pooler
   * @param answered is given the place; null where there is no answer
   */
  tell(client: PoolClient, prepares: boolean, answered: (place: string | null) => void): void {
    const { done } = this;
    client.query<{ place: string }>(
      { text: FLUSHED, ...(prepares && { name: 'gl_flushed' }) },
      (error: Error | null, result) => {
        if (error) {
          // Where a connection breaks the next server may be another, whose log is another too.
          [this.#latest, this.#covered] = [null, -1];
          return answered(null);
        }
        const { place } = result.rows[0]!;
        this.heard(place, done);
        answered(place);
      },
    );
  }
}
