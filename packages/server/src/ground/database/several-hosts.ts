import pg from 'pg';
import type { ServerPlace } from './address.js';

/** Of servers that were not asked of whether they take writes, so long one is waited for: another may be there already. */
const ASKED_WITHIN_MS = 2_000;
/** Who was found is believed for so long: connections that are opened together ask once. */
const KNOWN_MS = 1_000;
/** What PostgreSQL (14 and later) says by itself at the start of a connection, and whenever it changes. */
const SAYS = ['in_hot_standby', 'default_transaction_read_only'];
const READ_ONLY = '25006';

/** None of several servers can be reached and takes writes; code `NO_PRIMARY`. */
export class NoPrimary extends Error {
  override readonly name = 'NoPrimary';
  readonly code = 'NO_PRIMARY';

  constructor(servers: readonly ServerPlace[], cause: unknown) {
    const names = servers.map(({ host, port }) => `${host}:${port}`).join(', ');
    super(`None of the servers ${names} takes writes now.`, { cause });
  }
}

type Connected = (error: Error | null, client?: pg.Client) => void;
/** What of a connection the package does not declare. */
interface Wire {
  on(event: 'parameterStatus', listener: (said: { parameterName: string; parameterValue: string }) => void): void;
  on(event: 'errorMessage', listener: (error: { code?: string }) => void): void;
  readonly stream: { destroy(): void };
}
const wireOf = (client: pg.Client): Wire => (client as pg.Client & { readonly connection: Wire }).connection;

/** Listens to what the server says of itself. @returns whether it takes writes, once the connection stands; no statement is needed */
function hearing(client: pg.Client): () => boolean {
  const said = new Map<string, string>();
  wireOf(client).on('parameterStatus', ({ parameterName, parameterValue }) => said.set(parameterName, parameterValue));
  // A server that was made a primary is still read-only for a moment: both are needed.
  return () => SAYS.every((name) => said.get(name) === 'off');
}

/**
 * A class of connections to whichever of several servers takes writes, as `target_session_attrs=read-write` of libpq has it. All servers are
 * asked at once, and the one that takes writes is remembered until it does so no more: a connection on which the database says that it only
 * lets read is given up, and the next one finds the server that took over.
 */
export function writableClient(servers: readonly ServerPlace[]): typeof pg.Client {
  let known: ServerPlace | null = null;
  let knownUntil = 0;
  let asking: Promise<ServerPlace> | null = null;

  const ask = async (config: pg.ClientConfig, at: ServerPlace): Promise<ServerPlace> => {
    const client = new pg.Client({ ...config, ...at, connectionTimeoutMillis: ASKED_WITHIN_MS });
    client.on('error', () => undefined);
    const takesWrites = hearing(client);
    try {
      await client.connect();
      if (!takesWrites()) throw new NoPrimary([at], null);
      return at;
    } finally {
      client.end().catch(() => undefined);
    }
  };
  /** The one that took writes, if it still does; else the first of all that says so. */
  const askAll = async (config: pg.ClientConfig): Promise<ServerPlace> => {
    try {
      const still = known && (await ask(config, known).catch(() => null));
      known = still ?? (await Promise.any(servers.map((at) => ask(config, at))));
      knownUntil = Date.now() + KNOWN_MS;
      return known;
    } catch (error) {
      known = null;
      throw refusal(error) ?? new NoPrimary(servers, error);
    }
  };
  const find = (config: pg.ClientConfig): Promise<ServerPlace> =>
    known && Date.now() < knownUntil
      ? Promise.resolve(known)
      : (asking ??= askAll(config).finally(() => (asking = null)));

  return class WritableClient extends pg.Client {
    readonly #config: pg.ClientConfig;
    readonly #takesWrites: () => boolean;

    constructor(config?: string | pg.ClientConfig) {
      super(config);
      // A pool hides the password from whoever copies its configuration.
      this.#config = {
        ...(typeof config === 'object' ? config : {}),
        ...(this.password && { password: this.password }),
      };
      this.#takesWrites = hearing(this);
      wireOf(this).on('errorMessage', ({ code }) => {
        if (code === READ_ONLY) this.#giveUp();
      });
    }

    override connect(): Promise<pg.Client>;
    override connect(callback: Connected): void;
    override connect(callback?: Connected): Promise<pg.Client> | void {
      const connected = this.#connect();
      if (!callback) return connected;
      connected.then(
        () => callback(null, this),
        (error: unknown) => callback(error as Error),
      );
    }

    async #connect(): Promise<this> {
      const at = await find(this.#config);
      Object.assign(this, at);
      try {
        await super.connect();
      } catch (error) {
        known = null;
        throw error;
      }
      if (this.#takesWrites()) return this;
      known = null;
      await super.end();
      throw new NoPrimary(servers, null);
    }

    /** Whoever waits on it hears first what the database said. */
    #giveUp(): void {
      known = null;
      setImmediate(() => wireOf(this).stream.destroy());
    }
  };
}

/** Why a server that answers lets nobody in: a wrong password is no matter of who takes writes. */
function refusal(error: unknown): Error | null {
  const errors = error instanceof AggregateError ? (error.errors as (Error & { code?: string })[]) : [];
  return errors.find(({ code = '' }) => /^(28|3D|42)/.test(code)) ?? null;
}
