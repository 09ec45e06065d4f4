import { EventEmitter } from 'node:events';
import type pg from 'pg';
import type { CallScope } from './call-scope.js';
import type { ConnectionLog } from './connection-log.js';
import type { Writable } from './traced-connections.js';

type Callback = (error: unknown, result?: pg.QueryResult) => void;

/**
 * A transaction that will be rolled back, inside which a whole call is made. Whatever the call takes for a connection of its own is a
 * part of it: its transactions are savepoints, and what would commit by itself is one too, so that a failure ends only itself.
 */
export class Rehearsal {
  readonly #client: pg.PoolClient;
  /** What was sent last: one thing at a time is under way. */
  #last: Promise<unknown> = Promise.resolve();
  #savepoints = 0;
  #over = false;

  /** @param client a connection on which a transaction was begun */
  constructor(client: pg.PoolClient) {
    this.#client = client;
  }

  /** A connection for a part of the call, written down in a log of its own. */
  lend(log: ConnectionLog, holders: readonly CallScope[]): EventEmitter {
    return new LentConnection(this, log, holders);
  }

  /** No more is done in it: work that outlives the call would be done nowhere. */
  end(): Promise<unknown> {
    this.#over = true;
    return this.#last;
  }

  /** A name for a savepoint. */
  savepoint(): string {
    return `rehearsed_${++this.#savepoints}`;
  }

  /** Does something once what was sent before is done. @throws Error after its end */
  next<T>(work: (client: pg.PoolClient & Writable) => Promise<T>): Promise<T> {
    if (this.#over) return Promise.reject(new Error('The rehearsal is over: what comes after it is done nowhere.'));
    const done = this.#last.then(() => work(this.#client as unknown as pg.PoolClient & Writable));
    this.#last = done.catch(() => undefined);
    return done;
  }
}

/** What a part of a rehearsed call takes for a connection. */
class LentConnection extends EventEmitter {
  readonly #rehearsal: Rehearsal;
  readonly #log: ConnectionLog;
  readonly #holders: readonly CallScope[];
  /** The savepoint that stands for its transaction. */
  #transaction: string | null = null;

  constructor(rehearsal: Rehearsal, log: ConnectionLog, holders: readonly CallScope[]) {
    super();
    this.#rehearsal = rehearsal;
    this.#log = log;
    this.#holders = holders;
  }

  release(): void {
    this.#log.abandon();
  }

  query(sent: string | pg.QueryConfig, second?: unknown, third?: unknown): unknown {
    const callback = [second, third].find((each) => typeof each === 'function') as Callback | undefined;
    const text = typeof sent === 'string' ? sent : sent.text;
    const values = Array.isArray(second) ? (second as unknown[]) : typeof sent === 'string' ? undefined : sent.values;
    const done = this.#rehearsal.next((client) => this.#send(client, text, values));
    if (!callback) return done;
    return void done.then((result) => callback(null, result), callback);
  }

  async #send(client: pg.PoolClient & Writable, text: string, values: unknown[] | undefined): Promise<pg.QueryResult> {
    const word = /^\s*(BEGIN|START TRANSACTION|COMMIT|ROLLBACK)\s*$/i.exec(text.split(/\bISOLATION\b/i)[0]!)?.[1];
    if (word !== undefined) return this.#control(client, word.toUpperCase(), text);
    const written = () =>
      client.written(this.#log, this.#holders, { text, ...(values && { values }) }) as Promise<pg.QueryResult>;
    if (this.#transaction !== null) return written();
    const savepoint = this.#rehearsal.savepoint();
    await plain(client, `SAVEPOINT ${savepoint}`);
    try {
      const result = await written();
      await plain(client, `RELEASE SAVEPOINT ${savepoint}`);
      return result;
    } catch (error) {
      await plain(client, `ROLLBACK TO SAVEPOINT ${savepoint}; RELEASE SAVEPOINT ${savepoint}`);
      throw error;
    }
  }

  /** Begins and ends what is a transaction for the call; it is written down as such. */
  async #control(client: pg.PoolClient & Writable, word: string, text: string): Promise<pg.QueryResult> {
    const underway = this.#log.begin(text, [], this.#holders);
    const own = this.#transaction;
    if (word === 'BEGIN' || word === 'START TRANSACTION') this.#transaction = this.#rehearsal.savepoint();
    else this.#transaction = null;
    const name = this.#transaction ?? own;
    const sql =
      name === null
        ? 'SELECT'
        : own === null
          ? `SAVEPOINT ${name}`
          : word === 'COMMIT'
            ? `RELEASE SAVEPOINT ${name}`
            : `ROLLBACK TO SAVEPOINT ${name}; RELEASE SAVEPOINT ${name}`;
    const result = await plain(client, sql);
    if (underway) this.#log.end(underway, null, null);
    return Array.isArray(result) ? (result[0] as pg.QueryResult) : result;
  }
}

/** Sends what is no statement of the call. */
const plain = (client: Writable, sql: string): Promise<pg.QueryResult> =>
  client.written(NOBODYS, [], sql) as Promise<pg.QueryResult>;

/** Writes down nothing. */
const NOBODYS = { begin: () => null } as unknown as ConnectionLog;
