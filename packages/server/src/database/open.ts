import { existsSync } from 'node:fs';
import { isAbsolute, join, resolve } from 'node:path';
import type { DataSource } from 'typeorm';
import type { Config } from '../config/schema.js';
import { FolderStore, type MediaStore } from '../media/store.js';
import { ownServer, type DatabaseAddress } from './address.js';
import { findCluster, makeDataFolder, startCluster } from './cluster/cluster.js';
import { lockFolder } from './cluster/service-lock.js';
import { createDataSource } from './data-source.js';
import { DatabaseFault, probeDatabase } from './diagnose.js';
import { migrate, migrationState } from './migrate.js';

/** The database of a service for a command beside it, and what gives it free again. */
export interface OpenDatabase {
  readonly dataSource: DataSource;
  readonly address: DatabaseAddress;
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
  const closers: (() => Promise<unknown> | void)[] = [];
  const close = () => closeAll(closers);
  try {
    const address = await addressFor(config, data, environment, notice, closers);
    const dataSource = createDataSource(address, 4, config.model);
    await dataSource.initialize();
    const cluster = [...closers];
    closers.push(() => dataSource.destroy());
    const state = await migrationState(dataSource);
    if (state === 'empty' && !ownServer(config.database.url, environment)) await migrate(dataSource);
    else if (state === 'newer')
      throw new DatabaseFault(
        'schema',
        'The database was migrated by a newer version of Gather Lane: use that version.',
      );
    else if (state !== 'current')
      throw new DatabaseFault('schema', 'The database is missing migrations: start the service once with --migrate.');
    const store = new FolderStore(join(data, 'media'));
    return { dataSource, address, store, close, abandon: () => closeAll(cluster) };
  } catch (error) {
    await close();
    throw error;
  }
}

async function closeAll(closers: (() => Promise<unknown> | void)[]): Promise<void> {
  for (let next = closers.pop(); next; next = closers.pop()) await next();
}

async function addressFor(
  config: Config,
  data: string,
  environment: Record<string, string | undefined>,
  notice: (text: string) => void,
  closers: (() => Promise<unknown> | void)[],
): Promise<DatabaseAddress> {
  const own = ownServer(config.database.url, environment);
  if (own) {
    await probeDatabase(own);
    return own;
  }
  const running = existsSync(join(data, 'service.lock')) ? await findCluster(data) : null;
  if (running) return running;
  makeDataFolder(data);
  closers.push(lockFolder(data));
  const cluster = await startCluster(data, notice);
  closers.push(() => cluster.stop());
  return cluster.address;
}
