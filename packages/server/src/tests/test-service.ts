import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { OwnFields, ModelSource } from '@gather-lane/core';
import type { FastifyInstance } from 'fastify';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { loadConfig } from '../ground/config/load.js';
import type { DatabaseAddress } from '../ground/database/address.js';
import { assemble, jobsOf } from '../service/assemble.js';
import { CAPABILITIES } from '../service/capabilities.js';
import { planOf } from '../ground/capability/plan.js';
import { createMappedDataSource, type Mapping } from '../ground/database/data-source.js';
import { migrate } from '../ground/database/migrate.js';
import { MIGRATIONS } from '../service/migrations.js';
import type { House } from '../ground/capability/house.js';
import type { Capability, Job } from '../ground/capability/capability.js';
import { Sessions } from '../accounts/sessions/service.js';
import { buildApp, type AppOptions } from '../service/http/app.js';
import { Mailbox, StandInProvider } from '@gather-lane/stand-ins';
import { page } from '../ground/http/html-page.js';
import { mediaStore } from '../accounts/media/media-store.js';
import { settleRowTriggers } from '../workbench/traces/row-triggers.js';
import { tracesCalls } from '../ground/traces/is-on.js';
import { shownIn } from '../ground/traces/shown-columns.js';
import { migrateModel } from '../workbench/model/migration/migrate.js';
import { PlanFunctions } from '../ground/pooler/plan-functions.js';
import { OperatorKey } from '../accounts/operator/key.js';
import { makeDatabase } from './test-database.js';
import { watchReplies } from './watch-replies.js';

/** The reply to a call: its status, headers and JSON. */
export interface Reply<T = Record<string, unknown>> {
  readonly status: number;
  readonly headers: Headers;
  readonly json: T;
}

/** What a call sends beside method and path. */
export interface Sent {
  readonly as?: Actor | string;
  readonly body?: unknown;
  readonly headers?: Record<string, string>;
}

/** A made-up user with a session. */
export interface Actor {
  readonly id: string;
  readonly handle: string;
  readonly token: string;
}

/** A service of a test's own: its own database, a free port, real HTTP. */
export interface TestService {
  readonly address: string;
  readonly database: DatabaseAddress;
  readonly dataSource: DataSource;
  /** Every capability of it, by its class. */
  readonly house: House;
  readonly jobs: readonly Job[];
  readonly operatorKey: string;
  /** The folder of its files. */
  readonly folder: string;
  call<T = Record<string, unknown>>(method: string, path: string, sent?: Sent): Promise<Reply<T>>;
  /** A user made straight in the database, signed in. */
  user(handle?: string): Promise<Actor>;
  stop(): Promise<void>;
}

interface Options {
  /** Other capabilities than the product's. */
  readonly capabilities?: readonly Capability[];
  /** Of those capabilities, after the product's. */
  readonly migrations?: Mapping['migrations'];
  readonly demo?: boolean;
  /** The database of another test service, which outlives this one; one of its own unless said. */
  readonly on?: DatabaseAddress;
  /** With functions in the place of statements that are prepared by name, as behind a pooler. */
  readonly pooled?: boolean;
  /** With a mailbox stand-in, as in a demo. */
  readonly mailbox?: boolean;
  /** With the stand-in provider, as in a demo. */
  readonly standIn?: boolean;
  /** Configuration beyond the environment. */
  readonly configuration?: Record<string, unknown>;
  readonly environment?: Record<string, string>;
  readonly app?: Partial<AppOptions>;
  /** Fields of the developer's own, migrated before the service starts. */
  readonly model?: ModelSource;
  /** The model file as it is later, where that is another. */
  readonly modelFile?: () => OwnFields;
  /** Changes the application before it listens. */
  readonly before?: (app: FastifyInstance) => void;
}

export async function startTestService(options: Options = {}): Promise<TestService> {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-test-'));
  const { address: database, drop } = options.on
    ? { address: options.on, drop: () => Promise.resolve() }
    : await makeDatabase();
  const environment = {
    GATHER_LANE_LOG_LEVEL: 'silent',
    GATHER_LANE_RATES_SIGN_UPS_PER_MINUTE: '10000',
    GATHER_LANE_RATES_SIGN_INS_PER_MINUTE: '10000',
    GATHER_LANE_RATES_CALLS_PER_MINUTE: '1000000',
    // A demo traces calls; a test does where it says so.
    GATHER_LANE_TRACES_ON: 'false',
    ...options.environment,
  };
  const file = { ...options.configuration, ...(options.model && { model: options.model }) };
  writeFileSync(join(folder, 'gather-lane.yaml'), JSON.stringify(file));
  const { config } = loadConfig({ folder, environment });
  const { capabilities = CAPABILITIES, migrations = [] } = options;
  const plan = planOf(capabilities);
  const mapping = { ...plan, migrations: [...MIGRATIONS, ...migrations] };
  const choices = { poolSize: config.database.poolSize, model: config.model };
  const traces = tracesCalls(config, options.demo ?? false);
  const traced = traces ? shownIn(plan, config.model) : undefined;
  const direct = options.pooled ? createMappedDataSource(database, mapping, { ...choices, poolSize: 2 }) : null;
  await direct?.initialize();
  const failed = (error: unknown) => faults.push(String(error));
  const pooled = direct ? new PlanFunctions(direct, failed) : undefined;
  const dataSource = createMappedDataSource(database, mapping, { ...choices, traced, pooled });
  await dataSource.initialize();
  const background = traces ? createMappedDataSource(database, mapping, { ...choices, poolSize: 4 }) : dataSource;
  if (traces) await background.initialize();
  if (migrations.length > 0) await migrate(dataSource);
  if (options.model) await migrateModel(dataSource, config.model, { answers: {}, drop: [] });
  if (traces) await settleRowTriggers(background, plan, config.model, true);
  const key = new OperatorKey(folder, { key: options.environment?.GATHER_LANE_OPERATOR_KEY });
  const mailbox = options.mailbox ? new Mailbox() : null;
  await mailbox?.listen();
  const standIn = options.standIn ? new StandInProvider((title, body) => page(title, body, '')) : null;
  await standIn?.listen();
  const foundation = {
    plan,
    database: dataSource,
    background,
    config,
    demo: options.demo ?? false,
    modelFile: options.modelFile ?? (() => config.model),
  };
  const store = mediaStore(config, folder, folder);
  const assembled = assemble(capabilities, foundation, { key, store, mailbox, standIn });
  const { house, running } = assembled;
  const app = await buildApp(assembled, { consoleFolder: undefined, notReady: () => null, ...options.app });
  const { faults } = watchReplies(app, config, capabilities === CAPABILITIES && !options.app && !options.before);
  options.before?.(app);
  const address = await app.listen({ host: '127.0.0.1', port: 0 });
  house.address.listensAt(address);
  standIn?.allow([`${address}/sign-in/guild`]);
  const operatorKey = key.bearer;

  return {
    address,
    database,
    dataSource,
    house,
    jobs: jobsOf(running),
    operatorKey,
    folder,
    async call<T>(method: string, path: string, { as, body, headers }: Sent = {}): Promise<Reply<T>> {
      const token = typeof as === 'string' ? as : as?.token;
      const raw = typeof body === 'string';
      const reply = await fetch(address + path, {
        method,
        headers: {
          ...(token && { authorization: `Bearer ${token}` }),
          ...(body !== undefined && { 'content-type': 'application/json' }),
          ...headers,
        },
        ...(body !== undefined && { body: raw ? body : JSON.stringify(body) }),
      });
      const text = await reply.text();
      if (faults.length > 0) throw new Error(faults.splice(0).join('\n'));
      const isJson = reply.headers.get('content-type')?.includes('json');
      return { status: reply.status, headers: reply.headers, json: (isJson ? JSON.parse(text) : { text }) as T };
    },
    async user(handle = `u${randomBytes(6).toString('hex')}`) {
      const id = uuidv7();
      await dataSource.query(`INSERT INTO users (id, handle, name) VALUES ($1, $2, $3)`, [
        id,
        handle,
        `Name of ${handle}`,
      ]);
      return { id, handle, token: (await house.get(Sessions).actAs(id)).accessToken! };
    },
    async stop() {
      for (const { ending } of running) ending?.();
      await new Promise((resolve) => setImmediate(resolve));
      const holds = traces || config.database.standbys.length > 0;
      if (holds) for (const { stop } of running) await stop?.();
      const closing = app.close();
      app.server.closeAllConnections();
      await closing;
      await mailbox?.close();
      await standIn?.close();
      await pooled?.settled();
      await dataSource.destroy();
      await direct?.destroy();
      if (traces) await background.destroy();
      await drop();
      rmSync(folder, { recursive: true, force: true });
      // Of calls that were not made by `call`.
      if (faults.length > 0) throw new Error(faults.join('\n'));
    },
  };
}
