import { isAbsolute, resolve } from 'node:path';
import type { DataSource } from 'typeorm';
import type { Config } from '../ground/config/schema.js';
import type { MediaStore } from '../accounts/media/store.js';
import { mediaStore } from '../accounts/media/media-store.js';
import { Resources } from './resources.js';
import { runningService } from './running.js';
import { ownServer, sayAddress, serverNamedBy, type DatabaseAddress } from '../ground/database/address.js';
import { findCluster, makeDataFolder, startCluster } from '../ground/database/cluster/cluster.js';
import { keptLogFolder } from '../ground/database/cluster/kept-log.js';
import { lockFolder, lockHolder } from '../ground/database/cluster/service-lock.js';
import type { HousePlan } from '../ground/capability/house-plan.js';
import { PLAN } from './capabilities.js';
import { createDataSource } from './data-source.js';
import { DatabaseFault } from '../ground/database/database-fault.js';
import { probeDatabase } from '../ground/database/diagnose.js';
import { migrate, MIGRATIONS_MISSING, migrationState, newerDatabase } from '../ground/database/migrate.js';

/** The database of a service for a command beside it, and what gives it free again. */
export interface OpenDatabase {
  readonly dataSource: DataSource;
  readonly address: DatabaseAddress;
  /** Whether it is the embedded cluster. */
  readonly embedded: boolean;
  /** What its tables are to whom. */
  readonly plan: HousePlan;
  /** The files of pictures beside it. */
  readonly store: MediaStore;
  close(): Promise<void>;
  /** Gives it free without waiting for what is under way: for a command that is interrupted. */
  abandon(): Promise<void>;
}

/**
 * Opens the database that a service with this configuration uses: a server of the developer's own, the embedded
 * cluster of a running service, or the embedded cluster started for as long as it takes.
 * @throws DatabaseFault, also when migrations are pending
 */
export async function openDatabase(
  config: Config,
  folder: string,
  environment: Record<string, string | undefined>,
  notice: (text: string) => void,
): Promise<OpenDatabase> {
  const data = isAbsolute(config.data) ? config.data : resolve(folder, config.data);
  const [cluster, connections] = [new Resources(), new Resources()];
  const close = async () => {
    await connections.close();
    await cluster.close();
  };
  try {
    const address = await addressFor(config, { data, folder, environment }, notice, cluster);
    const dataSource = createDataSource(address, { poolSize: 4, model: config.model });
    await dataSource.initialize();
    connections.add('the connections', () => dataSource.destroy());
    const state = await migrationState(dataSource);
    if (state === 'empty' && !runningService(data)?.database && !ownServer(config.database.url, environment))
      await migrate(dataSource);
    else if (state === 'newer') throw newerDatabase();
    else if (state !== 'current') throw new DatabaseFault('schema', MIGRATIONS_MISSING);
    const store = mediaStore(config, folder, data);
    const embedded = !(runningService(data)?.database ?? ownServer(config.database.url, environment));
    return { dataSource, address, embedded, plan: PLAN, store, close, abandon: () => cluster.close() };
  } catch (error) {
    await close().catch(() => undefined);
    throw error;
  }
}

/** The database of the service that runs here, whatever this shell's environment says; else the one that it would use. */
async function addressFor(
  config: Config,
  {
    data,
    folder,
    environment,
  }: { readonly data: string; readonly folder: string; readonly environment: Record<string, string | undefined> },
  notice: (text: string) => void,
  resources: Resources,
): Promise<DatabaseAddress> {
  const own = ownServer(config.database.url, environment);
  const running = runningService(data);
  if (running && own && !isSame(own, running.database)) {
    const other = running.database ? sayAddress(running.database) : 'the embedded cluster';
    throw new DatabaseFault(
      'database',
      `${serverNamedBy(config.database.url, environment)} names ${sayAddress(own)}, but the service that runs on ${data} uses ${other}: take it out to work beside that service, or name another folder with --data.`,
    );
  }
  const server = running?.database ?? own;
  if (server) {
    await probeDatabase(server);
    return server;
  }
  const found = lockHolder(data) === null ? null : await findCluster(data);
  if (found) return found;
  makeDataFolder(data);
  resources.add('the lock of the data folder', lockFolder(data));
  const cluster = await startCluster(data, notice, { keepLog: keptLogFolder(config, folder) });
  resources.add('the cluster', () => cluster.stop());
  return cluster.address;
}

const isSame = (a: DatabaseAddress, b: DatabaseAddress | null): boolean =>
  b !== null && sayAddress(a) === sayAddress(b);
