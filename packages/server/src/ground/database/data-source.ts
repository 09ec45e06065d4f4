import 'reflect-metadata';
import type { OwnFields } from '@gather-lane/core';
import pg, { type Pool, type PoolConfig } from 'pg';
import {
  DataSource,
  QueryFailedError,
  type DataSourceOptions,
  type MigrationInterface,
  type QueryRunner,
} from 'typeorm';
import type { EntityClass } from '../capability/table.js';
import { mapFields } from '../fields/field-entities.js';
import type { DatabaseAddress } from './address.js';
import { OutcomeUnknown, wasCutOff } from './gone.js';
import { SnakeNaming } from './naming.js';
import { TRACED, tracedConnections } from '../traces/traced-connections.js';
import type { IsShown } from '../traces/told-rows.js';
import { whoseStatement } from '../traces/whose-statement.js';
import { preparedName } from './prepared.js';

/** Name of the table that remembers which of our migrations have run. */
export const MIGRATIONS_TABLE = 'gather_lane_migrations';

/** How long statements may take on the connections of a data source, in seconds; 0 for as long as they need. */
export interface StatementLimits {
  readonly statementSeconds: number;
  readonly lockSeconds: number;
  readonly idleTransactionSeconds: number;
}

/** Work that nobody waits for takes as long as it takes: migrations, fills, rebuilds, jobs. */
export const NO_LIMITS: StatementLimits = { statementSeconds: 0, lockSeconds: 0, idleTransactionSeconds: 0 };

/** What the tables are mapped to, and what shapes them. */
export interface Mapping {
  readonly entities: readonly EntityClass[];
  /** Oldest first. */
  readonly migrations: readonly (new () => MigrationInterface)[];
  /** Entities of the tables that may have fields of the developer's own. */
  readonly ownFields: Readonly<Record<string, EntityClass>>;
}

/** How a data source is made, beside the address. */
export interface DataSourceChoices {
  readonly poolSize: number;
  /** The developer's own fields, mapped in the entities. */
  readonly model?: OwnFields;
  /** Whether statements may be prepared by name. */
  readonly prepares?: boolean;
  readonly limits?: StatementLimits;
  /** Says what may be kept of rows, where what calls do is traced; without it nothing is. */
  readonly traced?: IsShown | undefined;
}

/** A server that has stopped answering is waited for so much longer than it would need to cut a statement itself. */
const UNANSWERED_MS = 5_000;
const WRITES = /^\s*(?:INSERT|UPDATE|DELETE|TRUNCATE|WITH\b[\s\S]*\b(?:INSERT INTO|UPDATE|DELETE FROM)\b)/i;

/**
 * Maps the developer's own fields right before the entities' metadata is read, and prepares the statements that matter on
 * connections of their own. There every plan is made once, for all callers: left to itself PostgreSQL takes a plan for one
 * caller to be cheaper, and makes one on each call, which costs as much as running it.
 */
class ModelDataSource extends DataSource {
  readonly #mapFields: () => void;
  readonly #preparing: Pool | null;
  readonly #traced: boolean;

  constructor(options: DataSourceOptions, mapFields: () => void, preparing: Pool | null, traced: boolean) {
    super(options);
    this.#mapFields = mapFields;
    this.#preparing = preparing;
    this.#traced = traced;
    // A connection that breaks while it is idle is replaced by the next; whoever needs one hears of it.
    this.#preparing?.on('error', () => undefined);
  }

  /**
   * Statements that matter are prepared by name; all others, and those in transactions, go the usual way.
   * @throws OutcomeUnknown when the connection breaks under a write that commits by itself
   */
  override async query<T = unknown>(sql: string, parameters?: unknown[], runner?: QueryRunner): Promise<T> {
    // Who asks is known here alone: a connection is handed over later.
    if (this.#traced) whoseStatement(sql);
    if (runner) return super.query<T>(sql, parameters, runner);
    const name = this.#preparing ? preparedName(sql) : undefined;
    try {
      if (name === undefined) return await super.query<T>(sql, parameters);
      return (await this.#preparing!.query({ name, text: sql, values: parameters ?? [] })).rows as T;
    } catch (error) {
      if (wasCutOff(error) && WRITES.test(sql))
        throw new OutcomeUnknown('the connection broke under a write', { cause: error });
      throw name === undefined ? error : new QueryFailedError(sql, parameters, error as Error);
    }
  }

  override async destroy(): Promise<void> {
    await this.#preparing?.end();
    await super.destroy();
  }

  protected override async buildMetadatas(): Promise<void> {
    this.#mapFields();
    await super.buildMetadatas();
  }
}

/** What every connection is opened with. A pooler that drops start-up options has them from the role instead. */
function startUpOptions({ statementSeconds, lockSeconds, idleTransactionSeconds }: StatementLimits): string {
  const settings = {
    timezone: 'UTC',
    // Every statement of the service is short: compiling one costs more than running it.
    jit: 'off',
    statement_timeout: `${statementSeconds}s`,
    lock_timeout: `${lockSeconds}s`,
    idle_in_transaction_session_timeout: `${idleTransactionSeconds}s`,
  };
  return Object.entries(settings)
    .map(([name, value]) => `-c ${name}=${value}`)
    .join(' ');
}

/**
 * A data source on an address. `synchronize` is never on: the migrations alone shape the
 * database. It is not connected yet; call `initialize()`.
 */
export function createMappedDataSource(
  address: DatabaseAddress,
  { entities, migrations, ownFields }: Mapping,
  { poolSize, model = [], prepares = true, limits = NO_LIMITS, traced }: DataSourceChoices,
): DataSource {
  const connection = {
    connectionTimeoutMillis: 10_000,
    options: traced ? `${startUpOptions(limits)} ${TRACED}` : startUpOptions(limits),
    ...(limits.statementSeconds > 0 && { query_timeout: limits.statementSeconds * 1000 + UNANSWERED_MS }),
  };
  const { Pool } = traced ? tracedConnections(traced) : pg;
  const options: DataSourceOptions = {
    type: 'postgres',
    ...(traced && { driver: { ...pg, Pool } }),
    host: address.host,
    port: address.port,
    username: address.user,
    password: address.password,
    database: address.database,
    ssl: address.ssl,
    entities: [...entities],
    migrations: [...migrations],
    migrationsTableName: MIGRATIONS_TABLE,
    migrationsTransactionMode: 'each',
    namingStrategy: new SnakeNaming(),
    synchronize: false,
    installExtensions: false,
    applicationName: 'gather-lane',
    poolSize,
    extra: connection,
  };
  const preparing: PoolConfig = {
    ...connection,
    host: address.host,
    port: address.port,
    user: address.user,
    password: address.password,
    database: address.database,
    ssl: address.ssl,
    application_name: 'gather-lane',
    max: poolSize,
    options: `${connection.options} -c plan_cache_mode=force_generic_plan`,
  };
  return new ModelDataSource(
    options,
    () => mapFields(model, ownFields),
    prepares ? new Pool(preparing) : null,
    traced !== undefined,
  );
}
