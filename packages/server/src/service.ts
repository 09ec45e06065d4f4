import { rmSync } from 'node:fs';
import { isAbsolute, resolve } from 'node:path';
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
import { buildApp } from './http/app.js';
import { holderOf } from './http/port-holder.js';
import { OperatorKey } from './operator/key.js';
import { createServices, type Services } from './services.js';

const DROPS_EVERY_MS = 3_600_000;
const LOOPBACK = ['127.0.0.1', 'localhost', '::1'];

/** A start that is refused; the message says why and what to do. */
export class StartRefused extends Error {
  override readonly name = 'StartRefused';
}

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
    const notReady = await prepare(dataSource, options, cluster !== null);
    const key = new OperatorKey(data);
    const services = createServices(dataSource, config, key, options.demo);
    const app = await buildApp(services, {
      consoleFolder: options.consoleFolder,
      notReady: () => notReady,
      ...(options.logStream && { logStream: options.logStream }),
    });
    closers.push(() => app.close());
    await listen(app, config);
    const { port } = app.server.address() as { port: number };
    const host = config.server.host.includes(':') ? `[${config.server.host}]` : config.server.host;
    services.address.listensAt(`http://${host}:${port}`);
    const forgetting = setInterval(
      () => void services.feed.forgetDrops().catch((error: unknown) => app.log.error(error)),
      DROPS_EVERY_MS,
    );
    forgetting.unref();
    closers.push(() => clearInterval(forgetting));
    return { address: `http://${host}:${port}`, operatorKeyPath: key.path, app, services, stop };
  } catch (error) {
    await stop();
    throw error;
  }
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
  const dataSource = createDataSource(address, config.database.poolSize);
  await dataSource.initialize();
  closers.push(() => dataSource.destroy());
  return dataSource;
}

/** Brings the database to this version where that is wanted. @returns why the service is not ready, or null */
async function prepare(
  dataSource: DataSource,
  { config, demo, notice, progress }: StartOptions,
  embedded: boolean,
): Promise<string | null> {
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
    return 'The database is missing migrations: look at what is new, then start once with --migrate (or set database.migrate).';
  if (!demo) {
    const ended = await endDemoSessions(dataSource);
    if (ended > 0) notice(`${ended} sessions of demo users were ended: this service is not a demo.`);
    return null;
  }
  if (!(await isDemoLoaded(dataSource))) {
    const [{ users }] = await dataSource.query<[{ users: number }]>(`SELECT count(*)::integer AS users FROM users`);
    if (users > 0)
      throw new StartRefused(
        'The database holds accounts that are no demo: start without --demo, or use another --data folder for the demo.',
      );
    await loadDemo(dataSource, (done, total) => progress?.('Loading the Wherry Cut', done, total));
  }
  return null;
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
