import pg, { type CustomTypesConfig, type FieldDef, type QueryConfig, type QueryResult } from 'pg';
import { rowShape, type RowShape } from './row-shape.js';

type Callback = (error: Error | null, result?: QueryResult) => void;

/** What of a connection the package does not declare. */
interface Wire {
  bind(message: { portal: string; statement: string; values: unknown[] }): void;
  execute(message: { portal: string }): void;
  sync(): void;
}

/** What of a query the package does not declare: how it is sent, and what it is told of the reply, in this order. */
interface ProtocolQuery {
  name: string;
  callback: Callback;
  values: unknown[];
  readonly _result: QueryResult & { _types: CustomTypesConfig | undefined };
  _canceledDueToError: unknown;
  prepare(wire: Wire): void;
  handleError(error: unknown, wire: Wire): void;
  handleRowDescription(message: { fields: FieldDef[] }): void;
  handleDataRow(message: { fields: (string | null)[] }): void;
  handleCommandComplete(message: object, wire: Wire): void;
}
const ProtocolQuery = pg.Query as unknown as new (text: string, values: unknown[]) => ProtocolQuery;
const { prepareValue } = (pg as unknown as { readonly utils: { prepareValue(value: unknown): unknown } }).utils;

/** What the statements that a connection has prepared yield, by name; null for no rows. */
const SHAPES = new WeakMap<Wire, Map<string, RowShape | null>>();

/**
 * A statement that is prepared by name. How its rows look is asked for once on each connection: from then on it cannot change, for
 * PostgreSQL refuses a prepared statement whose result would. Saves node a quarter of what it costs to read twenty rows, and the database
 * the look-up of their columns.
 */
class PreparedQuery extends ProtocolQuery {
  readonly #types: CustomTypesConfig | undefined;
  #wire: Wire | undefined;
  /** Undefined while it is asked for. */
  #shape: RowShape | null | undefined;

  /** @param values copied by nobody: a configuration is by the package, at a cost */
  constructor(name: string, text: string, values: unknown[], types: CustomTypesConfig | undefined, callback: Callback) {
    super(text, values);
    this.name = name;
    this.callback = callback;
    this.#types = types;
  }

  override prepare(wire: Wire): void {
    this.#wire = wire;
    try {
      this.values = this.values.map(prepareValue);
    } catch (error) {
      // The package would have the statement forgotten by the database, and take it for prepared all the same.
      wire.sync();
      this.handleError(error, wire);
      // The answer to what was sent for it is nobody's.
      this.callback = () => undefined;
      return;
    }
    const known = SHAPES.get(wire)?.get(this.name);
    if (known === undefined) return super.prepare(wire);
    this.#shape = known;
    if (known) this._result.fields = known.fields;
    wire.bind({ portal: '', statement: this.name, values: this.values });
    wire.execute({ portal: '' });
    wire.sync();
  }

  override handleRowDescription({ fields }: { fields: FieldDef[] }): void {
    this.#learn(rowShape(fields, this.#types ?? pg.types));
    this._result.fields = fields;
  }

  override handleDataRow({ fields }: { fields: (string | null)[] }): void {
    if (this._canceledDueToError) return;
    try {
      this._result.rows.push(this.#shape!.read(fields));
    } catch (error) {
      this._canceledDueToError = error;
    }
  }

  override handleCommandComplete(message: object, wire: Wire): void {
    if (this.#shape === undefined) this.#learn(null);
    super.handleCommandComplete(message, wire);
  }

  #learn(shape: RowShape | null): void {
    this.#shape = shape;
    let shapes = SHAPES.get(this.#wire!);
    if (!shapes) SHAPES.set(this.#wire!, (shapes = new Map()));
    shapes.set(this.name, shape);
  }
}

/** A connection, however it is asked. */
type Asked = new (config?: string | pg.ClientConfig) => {
  on(event: 'error', listener: () => void): unknown;
  query(sent: unknown, second?: unknown, third?: unknown): unknown;
};

/** That a connection breaks is told to whoever waits for something on it. */
const unheard = (): void => undefined;

/** A class of connections on which what has a name is sent as a {@link PreparedQuery}, where it is answered to a callback. */
export function preparingClient(Client: typeof pg.Client): typeof pg.Client {
  class PreparingClient extends (Client as Asked) {
    /**
     * That it breaks never ends the process: a database that goes away right after it took a connection tells both in one packet, and whoever
     * is handed the connection listens only after that.
     */
    constructor(config?: string | pg.ClientConfig) {
      super(config);
      this.on('error', unheard);
    }

    override query(sent: Partial<QueryConfig>, second?: unknown, third?: unknown): unknown {
      const callback = (typeof second === 'function' ? second : third) as Callback | undefined;
      const { name, text, values = Array.isArray(second) ? second : [], types } = sent;
      if (name === undefined || text === undefined || !callback) return super.query(sent, second, third);
      return super.query(new PreparedQuery(name, text, values as unknown[], types, callback));
    }
  }
  return PreparingClient as unknown as typeof pg.Client;
}
