import { EventEmitter } from 'node:events';
import pg from 'pg';
import { currentScopes, type CallScope } from './call-scope.js';
import { ConnectionLog, type Underway } from './connection-log.js';
import { ROWS_NOTICE, type IsShown } from './told-rows.js';

type Callback = (error: Error | null, result?: pg.QueryResult) => void;
type Connected = (
  error: Error | undefined,
  client?: pg.PoolClient,
  release?: (error?: Error | boolean) => void,
) => void;
type Sent = string | (pg.QueryConfig & { submit?: unknown });

/** The settings by which the database tells a connection of the rows that its statements change. */
export const TRACED =
  '-c gather_lane.traced=on -c gather_lane.told= -c gather_lane.told_of= -c client_min_messages=notice';

/** Classes of connections and pools that write down what goes through them, for whoever's call it is. */
export function tracedConnections(
  isShown: IsShown,
  Client = pg.Client,
): { Client: typeof pg.Client; Pool: typeof pg.Pool } {
  /** One statement at a time is under way on a connection; what the database says meanwhile is of it. */
  class TracedClient extends Client {
    readonly log = new ConnectionLog(isShown);
    /** The calls for which it is held. */
    holders: readonly CallScope[] = [];
    readonly #underway: (Underway | null)[] = [];

    constructor(config?: string | pg.ClientConfig) {
      super(config);
      this.on('notice', (notice) => {
        const [current] = this.#underway;
        if (current && notice.code === ROWS_NOTICE) this.log.tell(current, notice);
      });
      this.on('end', () => this.log.abandon());
    }

    override query(sent: Sent, second?: unknown, third?: unknown): never {
      return this.written(this.log, this.holders, sent, second, third);
    }

    /** Sends a statement, written down in a log for some calls. */
    written(log: ConnectionLog, holders: readonly CallScope[], sent: Sent, second?: unknown, third?: unknown): never {
      const streams = typeof sent === 'object' && typeof sent.submit === 'function';
      const idle = this.#underway.length === 0;
      // What streams has no end that a callback is told of.
      if (streams || (holders.length === 0 && idle))
        return super.query(sent as never, second as never, third as never) as never;
      const callback = (typeof second === 'function' ? second : third) as Callback | undefined;
      const values = Array.isArray(second) ? (second as unknown[]) : undefined;
      const [text, parameters] = typeof sent === 'string' ? [sent, values] : [sent.text, values ?? sent.values];
      const underway = log.begin(text, parameters ?? [], holders);
      this.#underway.push(underway);
      const ended: Callback = (error, result) => {
        this.#underway.shift();
        if (underway) log.end(underway, result?.rowCount ?? null, error ? stateOf(error) : null, result?.command);
      };
      const send = (told: Callback) => super.query(sent as string, values as unknown[], told);
      if (callback)
        return send((error, result) => {
          ended(error, result);
          callback(error, result);
        }) as never;
      return new Promise((resolve, reject) => {
        send((error, result) => {
          ended(error, result);
          if (error) reject(error);
          else resolve(result);
        });
      }) as never;
    }
  }

  /** Whoever asks gets the connection for the call that they ask for; inside a rehearsal, the one that it has. */
  class TracedPool extends pg.Pool {
    constructor(config?: pg.PoolConfig) {
      super({ ...config, Client: TracedClient });
    }

    override connect(): Promise<pg.PoolClient>;
    override connect(callback: Connected): void;
    override connect(callback?: Connected): Promise<pg.PoolClient> | void {
      // A connection that was waited for is handed over by whoever gives it back: whose it is is known now.
      const holders = currentScopes();
      const rehearsal = holders[0]?.rehearsal;
      if (rehearsal) {
        const client = rehearsal.lend(new ConnectionLog(isShown), holders) as unknown as pg.PoolClient;
        return callback ? callback(undefined, client, () => client.release()) : Promise.resolve(client);
      }
      const held = (client: pg.PoolClient | undefined) => {
        if (client) (client as unknown as TracedClient).holders = holders;
      };
      if (callback)
        return super.connect((error, client, release) => {
          held(client);
          callback(error, client, release);
        });
      return new Promise((resolve, reject) => {
        super.connect((error, client) => {
          held(client);
          if (client) resolve(client);
          else reject(error!);
        });
      });
    }
  }
  return { Client: TracedClient, Pool: TracedPool };
}

/** A connection that can write down in a log of somebody else's. */
export interface Writable extends EventEmitter {
  written(log: ConnectionLog, holders: readonly CallScope[], sent: Sent, second?: unknown, third?: unknown): unknown;
}

const stateOf = (error: unknown): string => (error as { code?: string }).code ?? 'lost';
