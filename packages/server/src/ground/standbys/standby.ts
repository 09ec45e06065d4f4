import { setTimeout as pause } from 'node:timers/promises';
import { mayReadAt, readLogPlace, type StandbyState } from '@gather-lane/core';
import pg from 'pg';
import type { DataSource } from 'typeorm';
import { sayServers, type DatabaseAddress } from '../database/address.js';
import { isDatabaseGone } from '../database/gone.js';
import { rowsOf, together, type Outcome, type Statement } from '../database/together.js';

const ASK_EVERY_MS = 30;
/** A server that cannot be reached is tried again so often. */
const TRY_EVERY_MS = 500;
/** So long an answer is waited for, before the connection is given up. */
const ANSWERS_WITHIN_MS = 2_000;

const HANGS = new Error('The standby does not answer.');

/**
 * How far a standby is. What it shows is of now where it has replayed all that it received and still receives; otherwise as old as the last
 * transaction that it replayed. Cost: 50 µs.
 */
const STATE = `
  SELECT pg_is_in_recovery() AS "inRecovery", coalesce(pg_last_wal_replay_lsn(), '0/0')::text AS replayed,
    CASE WHEN pg_last_wal_receive_lsn() <= pg_last_wal_replay_lsn() AND EXISTS (SELECT FROM pg_stat_wal_receiver) THEN 0
      ELSE extract(epoch FROM clock_timestamp() - pg_last_xact_replay_timestamp()) END::double precision AS age`;

/** A server that replays what the primary does, at which pages are read. */
export class Standby {
  /** As messages name it. */
  readonly name: string;
  /** How often something was read there, and how often that failed and was read at the primary. */
  readonly sent = { done: 0, failed: 0 };
  readonly #address: DatabaseAddress;
  readonly #dataSource: DataSource;
  readonly #ended = new AbortController();
  #state: StandbyState | null = null;
  #asking: Promise<void> = Promise.resolve();

  /** @param dataSource its connections, which are opened when they are needed */
  constructor(address: DatabaseAddress, dataSource: DataSource) {
    this.name = sayServers(address);
    this.#address = address;
    this.#dataSource = dataSource;
  }

  /** Asks it from now on how far it is. */
  begin(): void {
    this.#asking = this.#askOn();
  }

  async end(): Promise<void> {
    this.#ended.abort();
    await this.#asking;
    await this.#dataSource.destroy();
  }

  /** What it said last; null where it cannot be reached. */
  get state(): StandbyState | null {
    return this.#state;
  }

  /** Whether somebody may read there; see `mayReadAt`. */
  serves(seen: bigint, mostAge: number): boolean {
    return mayReadAt(this.#state, seen, performance.now(), mostAge);
  }

  /** Sends a statement that reads. @returns null where it failed, for whatever reason: the primary is to be asked */
  async ask(statement: Statement): Promise<Outcome | null> {
    return (await this.askAll([statement]))?.[0] ?? null;
  }

  /** Sends statements that read one after another on one connection; see {@link ask}. */
  async askAll(statements: readonly Statement[]): Promise<Outcome[] | null> {
    const late = new AbortController();
    try {
      const outcomes = await Promise.race([
        together(this.#dataSource, statements),
        // A server that hangs holds up nobody for long: the primary is there.
        pause(ANSWERS_WITHIN_MS, [{ error: HANGS }], { signal: late.signal }),
      ]);
      outcomes.forEach(rowsOf);
      this.sent.done++;
      return outcomes;
    } catch (error) {
      this.sent.failed++;
      // One that went away is asked by nobody until it says something again; whose statement was wrong, or stood in the way of its replay,
      // takes it from nobody else.
      if (error === HANGS || isDatabaseGone(error)) this.#state = null;
      return null;
    } finally {
      late.abort();
    }
  }

  async #askOn(): Promise<void> {
    const { signal } = this.#ended;
    while (!signal.aborted) {
      const client = new pg.Client({
        ...this.#address,
        application_name: 'gather-lane',
        connectionTimeoutMillis: ANSWERS_WITHIN_MS,
        query_timeout: ANSWERS_WITHIN_MS,
      });
      client.on('error', () => undefined);
      try {
        await client.connect();
        while (!signal.aborted) {
          const { rows } = await client.query<{ inRecovery: boolean; replayed: string; age: number | null }>(STATE);
          const { inRecovery, replayed, age } = rows[0]!;
          this.#state = { inRecovery, replayed: readLogPlace(replayed)!, age, at: performance.now() };
          await pause(ASK_EVERY_MS, undefined, { signal, ref: false });
        }
      } catch {
        this.#state = null;
      }
      await client.end().catch(() => undefined);
      await pause(TRY_EVERY_MS, undefined, { signal, ref: false }).catch(() => undefined);
    }
  }
}
