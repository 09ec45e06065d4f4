import { EventEmitter } from 'node:events';
import pg from 'pg';
import { currentRehearsal, currentScopes, runFor } from './call-scope.js';
import { ConnectionLog, type Underway } from './connection-log.js';
import { ROW_NOTICE, type IsShown, type RowNotice } from './told-rows.js';

type Callback = (error: Error | null, result?: pg.QueryResult) => void;
type Connected = (
  error: Error | undefined,
  client?: pg.PoolClient,
  release?: (error?: Error | boolean) => void,
) => void;
type Sent = string | (pg.QueryConfig & { submit?: unknown });

/** The settings by which the database tells a connection of the rows that its statements change. */
export const TRACED = '-c gather_lane.traced=on -c client_min_messages=notice';

/** Classes of connections and pools that write down what goes through them, for whoever's call it is. */
export function tracedConnections(isShown: IsShown): { Client: typeof pg.Client; Pool: typeof pg.Pool } {
  /** One statement at a time is under way on a connection; what the database says meanwhile is of it. */
  class TracedClient extends pg.Client {
    readonly log = new ConnectionLog(isShown);
    readonly #underway: (Underway | null)[] = [];

    constructor(config?: string | pg.ClientConfig) {
      super(config);
      this.on('notice', (notice) => {
        const [current] = this.#underway;
        if (current && notice.code === ROW_NOTICE) this.log.tell(current, notice as RowNotice);
      });
      this.on('end', () => this.log.abandon());
    }

    override query(sent: Sent, second?: unknown, third?: unknown): never {
      return this.written(this.log, sent, second, third);
    }

    /** Sends a statement, written down in a log of whoever sends it. */
    written(log: ConnectionLog, sent: Sent, second?: unknown, third?: unknown): never {
      const pass = super.query.bind(this) as unknown as (...given: unknown[]) => unknown;
      const callback = [second, third].find((each) => typeof each === 'function') as Callback | undefined;
      const values = (Array.isArray(second) ? second : typeof sent === 'object' ? sent.values : undefined) ?? [];
      const text = typeof sent === 'string' ? sent : (sent.text ?? '');
      // What streams has no end that a callback is told of.
      const streams = typeof sent === 'object' && typeof sent.submit === 'function';
      const underway = streams ? null : log.begin(text, values as unknown[]);
      if (!underway && (streams || this.#underway.length === 0)) return pass(sent, second, third) as never;
      this.#underway.push(underway);
      const ended = (error: unknown, result?: pg.QueryResult) => {
        this.#underway.shift();
        if (underway) log.end(underway, result?.rowCount ?? null, error ? stateOf(error) : null);
      };
      if (!callback)
        return (pass(sent, second) as Promise<pg.QueryResult>).then(
          (result) => {
            ended(null, result);
            return result;
          },
          (error: unknown) => {
            ended(error);
            throw error;
          },
        ) as never;
      const told: Callback = (error, result) => {
        ended(error, result);
        callback(error, result);
      };
      return pass(sent, Array.isArray(second) ? second : undefined, told) as never;
    }
  }

  /** Whoever asks gets the connection for the call that they ask for; inside a rehearsal, the one that it has. */
  class TracedPool extends pg.Pool {
    constructor(config?: pg.PoolConfig) {
      super({ ...config, Client: TracedClient } as pg.PoolConfig);
    }

    override connect(): Promise<pg.PoolClient>;
    override connect(callback: Connected): void;
    override connect(callback?: Connected): Promise<pg.PoolClient> | void {
      const rehearsal = currentRehearsal();
      if (rehearsal) {
        const client = rehearsal.lend(new ConnectionLog(isShown)) as unknown as pg.PoolClient;
        return callback ? callback(undefined, client, () => client.release()) : Promise.resolve(client);
      }
      if (!callback) return super.connect();
      // A connection that was waited for is handed over by whoever gives it back, in their name.
      const scopes = currentScopes();
      super.connect((error, client, release) => runFor(scopes, () => callback(error, client, release)));
    }
  }
  return { Client: TracedClient as unknown as typeof pg.Client, Pool: TracedPool as unknown as typeof pg.Pool };
}

/** A connection that can write down in a log of somebody else's. */
export interface Writable extends EventEmitter {
  written(log: ConnectionLog, sent: Sent, second?: unknown, third?: unknown): unknown;
}

const stateOf = (error: unknown): string => (error as { code?: string }).code ?? 'lost';
