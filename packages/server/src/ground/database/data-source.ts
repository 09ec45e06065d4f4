import 'reflect-metadata';
import type { OwnFields } from '@gather-lane/core';
import pg, { type PoolConfig } from 'pg';
import { type DataSource, type DataSourceOptions, type MigrationInterface } from 'typeorm';
import type { EntityClass } from '../capability/table.js';
import { mapFields } from '../fields/field-entities.js';
import type { PlanFunctions } from '../pooler/plan-functions.js';
import type { IsShown } from '../traces/told-rows.js';
import { TRACED, tracedConnections } from '../traces/traced-connections.js';
import type { DatabaseAddress } from './address.js';
import { clientFor } from './connection.js';
import { ModelDataSource } from './model-data-source.js';
import { SnakeNaming } from './naming.js';
import { preparingClient } from './prepared-query.js';

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
  /** Where the connections are a pooler's: functions that keep plans in the place of statements that are prepared by name. */
  readonly pooled?: PlanFunctions | undefined;
  /** Says what may be kept of rows, where what calls do is traced; without it nothing is. */
  readonly traced?: IsShown | undefined;
}

/** A server that has stopped answering is waited for so much longer than it would need to cut a statement itself. */
const UNANSWERED_MS = 5_000;

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
  { poolSize, model = [], prepares = true, limits = NO_LIMITS, pooled, traced }: DataSourceChoices,
): DataSource {
  const Client = preparingClient(clientFor(address));
  const connection = {
    Client,
    keepAlive: true,
    connectionTimeoutMillis: 10_000,
    // A pooler refuses them.
    ...(!pooled && { options: traced ? `${startUpOptions(limits)} ${TRACED}` : startUpOptions(limits) }),
    ...(limits.statementSeconds > 0 && { query_timeout: limits.statementSeconds * 1000 + UNANSWERED_MS }),
  };
  const { Pool } = traced ? tracedConnections(traced, Client) : pg;
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
  const hot: PoolConfig & { readonly pipeline: true } = {
    ...connection,
    host: address.host,
    port: address.port,
    user: address.user,
    password: address.password,
    database: address.database,
    ssl: address.ssl,
    application_name: 'gather-lane',
    max: poolSize,
    // A statement is sent without waiting for what the one before yields.
    pipeline: true,
    ...(!pooled && { options: `${connection.options} -c plan_cache_mode=force_generic_plan` }),
  };
  return new ModelDataSource(options, () => mapFields(model, ownFields), {
    hot: new Pool(hot),
    prepares: prepares && !pooled,
    plans: pooled,
    traced: traced !== undefined,
  });
}
