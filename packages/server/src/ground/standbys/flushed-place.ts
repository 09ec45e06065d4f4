import { UNKNOWN_PLACE } from '@gather-lane/core';
import type { PoolClient } from 'pg';
import type { DataSource } from 'typeorm';
import { aside } from '../traces/call-scope.js';
import { leaseHot } from '../database/together.js';
import type { WrittenPlaces } from '../database/written-places.js';

/**
 * How far the log of the primary is written out, asked on a connection that nobody else waits for. Those who ask while an answer is on
 * its way share the next one: that under way may have been sent before what they did was done.
 */
export class FlushedPlace {
  readonly #dataSource: DataSource;
  readonly #places: WrittenPlaces;
  #connection: { readonly client: PoolClient; readonly release: (broken: boolean) => void } | null = null;
  #waiting: ((place: string) => void)[] = [];
  #asking = false;

  constructor(dataSource: DataSource, places: WrittenPlaces) {
    this.#dataSource = dataSource;
    this.#places = places;
  }

  /** A place that holds all that was committed until now; `unknown` where the database does not answer. */
  now(): Promise<string> {
    return new Promise((resolve) => {
      this.#waiting.push(resolve);
      if (!this.#asking) void this.#ask();
    });
  }

  end(): void {
    this.#connection?.release(true);
    this.#connection = null;
  }

  async #ask(): Promise<void> {
    this.#asking = true;
    while (this.#waiting.length > 0) {
      const waiting = this.#waiting;
      this.#waiting = [];
      const place = await this.#flushed();
      for (const resolve of waiting) resolve(place);
    }
    this.#asking = false;
  }

  async #flushed(): Promise<string> {
    try {
      // For everybody, and so not the connection of a call that is rehearsed.
      this.#connection ??= await aside(() => leaseHot(this.#dataSource));
      // Without a name, for it may be a pooler's.
      const place = await this.#places.ask(this.#connection.client, false);
      if (place !== null) return place;
    } catch {
      // No connection is to be had either.
    }
    // The database went away right after it had done what was asked: what is nowhere surely is read at the primary.
    this.end();
    return UNKNOWN_PLACE;
  }
}
