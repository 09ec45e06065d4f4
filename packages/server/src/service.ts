import { rmSync } from 'node:fs';
import { isAbsolute, join, resolve } from 'node:path';
import type { Model } from '@gather-lane/core';
import type { FastifyInstance } from 'fastify';
import type { DataSource } from 'typeorm';
import type { Config } from './config/schema.js';
import { ownServer, type DatabaseAddress } from './database/address.js';
import { makeDataFolder, startCluster, type Cluster } from './database/cluster/cluster.js';
import { lockFolder } from './database/cluster/service-lock.js';
import { createDataSource } from './database/data-source.js';
import { DatabaseFault, probeDatabase } from './database/diagnose.js';
import { migrate, migrationState } from './database/migrate.js';
import { endDemoSessions, isDemoLoaded, loadDemo } from './demo/load.js';
import { loadDemoPictures } from './demo/pictures.js';
import { buildApp } from './http/app.js';
import { holderOf } from './http/port-holder.js';
import { StandInProvider } from './identities/stand-in.js';
import { Mailbox } from './mail/mailbox.js';
import { FolderStore } from './media/store.js';
import { Heartbeat, HEARTBEAT_MS } from './model/migration/live.js';
import { describeWaiting, migrateModel, MigrationRefused } from './model/migration/migrate.js';
import { modelState } from './model/migration/plan.js';
import { OperatorKey } from './operator/key.js';
import { createServices, type Services } from './services.js';
import { keepTidy } from './upkeep/service.js';
import { StartRefused } from './start.js';

const LOOPBACK = ['127.0.0.1', 'localhost', '::1'];

/** What a service is started with. */
export interface StartOptions {
  readonly config: Config;
  /** The environment, for the standard `PG…` variables. */
  readonly environment: Record<string, string | undefined>;
  /** Folder that a relative data folder is in. */
  readonly folder: string;
  readonly demo: boolean;
  /** Throw the data of an earlier demo away first. */
  readonly fresh?: boolean;
  readonly consoleFolder?: string;
  /** Reads the model file again: it may have changed since the service started. */
  readonly modelFile?: () => Model;
  /** Told what the operator should know, in sentences. */
  readonly notice: (text: string) => void;
  readonly progress?: (step: string, done: number, total: number) => void;
  readonly logStream?: NodeJS.WritableStream;
}

/** A running service. */
export interface Service {
  readonly address: string;
  readonly operatorKeyPath: string;
  readonly app: FastifyInstance;
  readonly services: Services;
  /** Takes no more calls, finishes those under way, closes the pool, stops the cluster. */
  stop(): Promise<void>;
}

/**
 * Starts the service: database, migrations where the configuration says so, demo data, HTTP.
 * @throws StartRefused, DatabaseFault
 */
export async function startService(options: StartOptions): Promise<Service> {
  const { config } = options;
  if (options.demo && !LOOPBACK.includes(config.server.host))
    throw new StartRefused(
      `The demo's passwords are published, so it listens on loopback only, not on ${config.server.host}: leave out --demo or --host.`,
    );
  const data = isAbsolute(config.data) ? config.data : resolve(options.folder, config.data);
  makeDataFolder(data);
  const closers: (() => Promise<unknown> | void)[] = [];
  const stop = async (): Promise<void> => {
    for (let close = closers.pop(); close; close = closers.pop()) await close();
  };
  try {
    closers.push(lockFolder(data));
    const { address, cluster } = await database(options, data, closers);
    const dataSource = await connect(address, config, closers);
    const readiness = await prepare(dataSource, options, cluster !== null);
    const key = new OperatorKey(data);
    const standIn = options.demo ? await openStandIn(closers) : null;
    const mailbox = options.demo && config.mail.smtp === undefined ? await openMailbox(closers) : null;
    const services = createServices(dataSource, config, key, {
      demo: options.demo,
      store: new FolderStore(join(data, 'media')),
      modelFile: options.modelFile,
      mailbox,
      provider: standIn?.provider ?? null,
    });
    if (readiness.demoIsNew) await loadDemoPictures(services);
    const app = await buildApp(services, {
      consoleFolder: options.consoleFolder,
      notReady: () => readiness.reason,
      operatorReady: () => readiness.migrated,
      ...(options.logStream && { logStream: options.logStream }),
    });
    closers.push(() => services.weighting.stop());
    closers.push(() => app.close());
    await listen(app, config);
    const { port } = app.server.address() as { port: number };
    const host = config.server.host.includes(':') ? `[${config.server.host}]` : config.server.host;
    services.address.listensAt(`http://${host}:${port}`);
    await standIn?.allow([services.address.to(`/sign-in/${standIn.provider.name}`)]);
    if (readiness.migrated) {
      await live(dataSource, config.model, readiness, app, closers);
      closers.push(keepTidy(services, (error) => app.log.error(error)));
    }
    return { address: `http://${host}:${port}`, operatorKeyPath: key.path, app, services, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}

async function openStandIn(closers: (() => Promise<unknown> | void)[]): Promise<StandInProvider> {
  const standIn = new StandInProvider();
  await standIn.listen();
  closers.push(() => standIn.close());
  return standIn;
}

async function openMailbox(closers: (() => Promise<unknown> | void)[]): Promise<Mailbox> {
  const mailbox = new Mailbox();
  await mailbox.listen();
  closers.push(() => mailbox.close());
  return mailbox;
}

async function database(
  { config, environment, fresh, demo, notice }: StartOptions,
  data: string,
  closers: (() => Promise<unknown> | void)[],
): Promise<{ address: DatabaseAddress; cluster: Cluster | null }> {
  const own = ownServer(config.database.url, environment);
  if (own) {
    if (fresh)
      throw new StartRefused('--fresh throws away the embedded demo only, never the data on a server of yours.');
    await probeDatabase(own);
    return { address: own, cluster: null };
  }
  let cluster = await startCluster(data, notice);
  if (fresh && demo) {
    await cluster.stop();
    rmSync(cluster.folder, { recursive: true, force: true });
    cluster = await startCluster(data, notice);
  }
  const { stop } = cluster;
  closers.push(stop);
  return { address: cluster.address, cluster };
}

async function connect(
  address: DatabaseAddress,
  config: Config,
  closers: (() => Promise<unknown> | void)[],
): Promise<DataSource> {
  const dataSource = createDataSource(
    address,
    config.database.poolSize,
    config.model,
    config.database.preparedStatements,
  );
  await dataSource.initialize();
  closers.push(() => dataSource.destroy());
  return dataSource;
}

/** Whether the service can work. */
interface Readiness {
  /** Why it cannot, or null. */
  reason: string | null;
  /** Whether the product's own tables are there. */
  readonly migrated: boolean;
  /** Whether the demo was loaded just now. */
  demoIsNew?: boolean;
}

const MODEL_BEHIND =
  'The model file has fields that the tables do not have yet: look with `gather-lane model changes`, then run `gather-lane model migrate`.';

/** Says regularly that the service lives; one that waits for the model notices when the tables have it. */
async function live(
  dataSource: DataSource,
  model: Model,
  readiness: Readiness,
  app: FastifyInstance,
  closers: (() => Promise<unknown> | void)[],
): Promise<void> {
  const heartbeat = new Heartbeat(dataSource, model);
  await heartbeat.begin();
  const beat = async () => {
    await heartbeat.beat();
    if (readiness.reason === MODEL_BEHIND && (await modelState(dataSource, model)) !== 'behind')
      readiness.reason = null;
  };
  let [beating, ended] = [Promise.resolve(), false];
  const timer = setInterval(() => {
    if (!ended) beating = beat().catch((error: unknown) => app.log.error(error));
  }, HEARTBEAT_MS);
  timer.unref();
  closers.push(async () => {
    ended = true;
    clearInterval(timer);
    await beating;
    // A database that has gone away first takes its word for it.
    await heartbeat.end().catch(() => undefined);
  });
}

/** Brings the columns of the developer's own fields to the model file, where that needs nobody's choice. */
async function prepareModel(dataSource: DataSource, { config, notice }: StartOptions, allowed: boolean): Promise<void> {
  if ((await modelState(dataSource, config.model)) === 'current') return;
  const [{ empty }] = await dataSource.query<[{ empty: boolean }]>(`SELECT NOT EXISTS (SELECT FROM users) AS empty`);
  if (!allowed && !empty) return;
  try {
    const { id, waiting } = await migrateModel(dataSource, config.model, { answers: {}, drop: [], wait: true });
    if (id !== null && !empty) notice('The tables were brought to the model file: see `gather-lane model`.');
    if (waiting.length > 0) notice(describeWaiting(waiting));
  } catch (error) {
    if (!(error instanceof MigrationRefused)) throw error;
    notice(`${error.message}\nSee \`gather-lane model changes\`, then run \`gather-lane model migrate\`.`);
  }
}

/** Brings the database to this version where that is wanted. */
async function prepare(dataSource: DataSource, options: StartOptions, embedded: boolean): Promise<Readiness> {
  const { config, demo, notice, progress } = options;
  const { model } = config;
  const state = await migrationState(dataSource);
  if (state === 'newer')
    throw new DatabaseFault(
      'schema',
      'The database was migrated by a newer version of Gather Lane: run that version, or restore a back-up from before.',
    );
  // A cluster of ours that was made just now holds nothing that a migration could harm.
  if (state !== 'current' && (demo || config.database.migrate || (embedded && state === 'empty')))
    await migrate(dataSource);
  else if (state !== 'current')
    return {
      reason:
        'The database is missing migrations: look at what is new, then start once with --migrate (or set database.migrate).',
      migrated: false,
    };
  await prepareModel(dataSource, options, demo || config.database.migrate);
  const behind = (await modelState(dataSource, model)) === 'behind';
  const readiness: Readiness = { reason: behind ? MODEL_BEHIND : null, migrated: true };
  if (!demo) {
    const ended = await endDemoSessions(dataSource);
    if (ended > 0) notice(`${ended} sessions of demo users were ended: this service is not a demo.`);
    return readiness;
  }
  if (!(await isDemoLoaded(dataSource))) {
    const [{ users }] = await dataSource.query<[{ users: number }]>(`SELECT count(*)::integer AS users FROM users`);
    if (users > 0)
      throw new StartRefused(
        'The database holds accounts that are no demo: start without --demo, or use another --data folder for the demo.',
      );
    await loadDemo(dataSource, config, (done, total) => progress?.('Loading the Wherry Cut', done, total));
    readiness.demoIsNew = true;
  }
  return readiness;
}

async function listen(app: FastifyInstance, { server }: Config): Promise<void> {
  try {
    await app.listen({ host: server.host, port: server.port });
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'EADDRINUSE') {
      const holder = holderOf(server.port);
      throw new StartRefused(
        `Port ${server.port} is taken${holder ? ` by ${holder}` : ''}: stop it, or choose another with --port.`,
      );
    }
    if (code === 'EACCES')
      throw new StartRefused(
        `Port ${server.port} needs rights that this account does not have: choose one above 1023 with --port.`,
      );
    if (code === 'EADDRNOTAVAIL')
      throw new StartRefused(`${server.host} is no address of this machine: correct server.host.`);
    throw error;
  }
}
