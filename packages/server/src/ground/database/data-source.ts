import 'reflect-metadata';
import type { Model } from '@gather-lane/core';
import pg, { type Pool, type PoolConfig } from 'pg';
import { DataSource, QueryFailedError, type DataSourceOptions, type QueryRunner } from 'typeorm';
import { Block, Mute } from '../../graph/blocks/distance.entity.js';
import { Comment } from '../../posts/comments/comment.entity.js';
import { Standing, StandingDrop } from '../../ranking/weighting/standing.entity.js';
import { FillRun } from '../../workbench/fill/fill-run.entity.js';
import { Follow } from '../../graph/follows/follow.entity.js';
import { Identity } from '../../accounts/identities/identity.entity.js';
import { ProviderSignIn } from '../../accounts/identities/provider-sign-in.entity.js';
import { Blob, PostPicture, Upload } from '../../posts/media/media.entity.js';
import { LiveService } from '../../workbench/model/live-service.entity.js';
import { ModelMigration, ModelStep } from '../../workbench/model/model-migration.entity.js';
import { mapFields } from '../fields/field-entities.js';
import { Moderation } from '../../posts/moderation/moderation.entity.js';
import { OperatorSession } from '../../accounts/operator/operator-session.entity.js';
import { ThrowAwayUser } from '../../workbench/ownership/throw-away-user.entity.js';
import { PasswordReset } from '../../accounts/password-resets/password-reset.entity.js';
import { PostVersion } from '../../posts/posts/post-version.entity.js';
import { Post } from '../../posts/posts/post.entity.js';
import { CommentTally, PostCommenter, PostTally, UserTally } from '../../ranking/tallies/tally.entity.js';
import { CommentReaction, Reaction } from '../../posts/reactions/reaction.entity.js';
import { RefusedAttempt } from '../denied-attempts/refused-attempt.entity.js';
import { RepeatableCall } from '../idempotency/repeatable-call.entity.js';
import { SignInAttempt } from '../../accounts/sessions/sign-in-attempt.entity.js';
import { Session } from '../../accounts/sessions/session.entity.js';
import { RefreshToken } from '../../accounts/sessions/refresh-token.entity.js';
import { SigningKey } from '../keys/signing-key.entity.js';
import { Credential } from '../../accounts/users/credential.entity.js';
import { Erasure } from '../../accounts/users/deletion/erasure.entity.js';
import { ReservedHandle } from '../../accounts/users/reserved-handle.entity.js';
import { User } from '../../accounts/users/user.entity.js';
import { Restand, WeightingRow } from '../../ranking/weighting/weighting.entity.js';
import type { DatabaseAddress } from './address.js';
import { Accounts1764000000001 } from '../../service/migrations/1764000000001-accounts.js';
import { Posts1764000000002 } from '../../service/migrations/1764000000002-posts.js';
import { Standings1764000000003 } from '../../service/migrations/1764000000003-standings.js';
import { Tallies1764000000004 } from '../../service/migrations/1764000000004-tallies.js';
import { FillRuns1764000000005 } from '../../service/migrations/1764000000005-fill-runs.js';
import { ModelMigrations1764000000006 } from '../../service/migrations/1764000000006-model-migrations.js';
import { People1764000000007 } from '../../service/migrations/1764000000007-people.js';
import { SignIn1764000000008 } from '../../service/migrations/1764000000008-sign-in.js';
import { Media1764000000009 } from '../../service/migrations/1764000000009-media.js';
import { ThrowAwayUsers1764000000010 } from '../../service/migrations/1764000000010-throw-away-users.js';
import { Reactions1764000000011 } from '../../service/migrations/1764000000011-reactions.js';
import { Weightings1764000000012 } from '../../service/migrations/1764000000012-weightings.js';
import { LargeStatements1764000000013 } from '../../service/migrations/1764000000013-large-statements.js';
import { NoJit1764000000014 } from '../../service/migrations/1764000000014-no-jit.js';
import { Keys1764000000015 } from '../../service/migrations/1764000000015-keys.js';
import { PictureLinks1764000000016 } from '../../service/migrations/1764000000016-picture-links.js';
import { OutcomeUnknown, wasCutOff } from './gone.js';
import { SnakeNaming } from './naming.js';
import { preparedName } from './prepared.js';

/** Every entity of the product's model. */
export const ENTITIES = [
  User,
  Credential,
  UserTally,
  Session,
  RefreshToken,
  OperatorSession,
  SigningKey,
  Post,
  PostTally,
  PostCommenter,
  Follow,
  Comment,
  WeightingRow,
  Standing,
  StandingDrop,
  FillRun,
  ModelMigration,
  ModelStep,
  LiveService,
  Mute,
  Block,
  Moderation,
  RefusedAttempt,
  ReservedHandle,
  Erasure,
  SignInAttempt,
  PasswordReset,
  Identity,
  ProviderSignIn,
  Blob,
  Upload,
  PostPicture,
  PostVersion,
  RepeatableCall,
  ThrowAwayUser,
  Reaction,
  CommentReaction,
  CommentTally,
  Restand,
];

/** The product's migrations, oldest first. */
export const MIGRATIONS = [
  Accounts1764000000001,
  Posts1764000000002,
  Standings1764000000003,
  Tallies1764000000004,
  FillRuns1764000000005,
  ModelMigrations1764000000006,
  People1764000000007,
  SignIn1764000000008,
  Media1764000000009,
  ThrowAwayUsers1764000000010,
  Reactions1764000000011,
  Weightings1764000000012,
  LargeStatements1764000000013,
  NoJit1764000000014,
  Keys1764000000015,
  PictureLinks1764000000016,
];

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

/** How a data source is made, beside the address. */
export interface DataSourceChoices {
  readonly poolSize: number;
  /** The developer's own fields, mapped in the entities. */
  readonly model?: Model;
  /** Whether statements may be prepared by name. */
  readonly prepares?: boolean;
  readonly limits?: StatementLimits;
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
  readonly #model: Model;
  readonly #preparing: Pool | null;

  constructor(options: DataSourceOptions, model: Model, preparing: PoolConfig | null) {
    super(options);
    this.#model = model;
    this.#preparing = preparing && new pg.Pool(preparing);
    // A connection that breaks while it is idle is replaced by the next; whoever needs one hears of it.
    this.#preparing?.on('error', () => undefined);
  }

  /**
   * Statements that matter are prepared by name; all others, and those in transactions, go the usual way.
   * @throws OutcomeUnknown when the connection breaks under a write that commits by itself
   */
  override async query<T = unknown>(sql: string, parameters?: unknown[], runner?: QueryRunner): Promise<T> {
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
    mapFields(this.#model);
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
 * The one data source of a service. `synchronize` is never on: the migrations alone shape the
 * database. It is not connected yet; call `initialize()`.
 */
export function createDataSource(
  address: DatabaseAddress,
  { poolSize, model = [], prepares = true, limits = NO_LIMITS }: DataSourceChoices,
): DataSource {
  const connection = {
    connectionTimeoutMillis: 10_000,
    options: startUpOptions(limits),
    ...(limits.statementSeconds > 0 && { query_timeout: limits.statementSeconds * 1000 + UNANSWERED_MS }),
  };
  const options: DataSourceOptions = {
    type: 'postgres',
    host: address.host,
    port: address.port,
    username: address.user,
    password: address.password,
    database: address.database,
    ssl: address.ssl,
    entities: ENTITIES,
    migrations: MIGRATIONS,
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
  return new ModelDataSource(options, model, prepares ? preparing : null);
}
