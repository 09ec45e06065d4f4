import { accessSync, constants, existsSync } from 'node:fs';
import { createServer } from 'node:net';
import type { DataSource } from 'typeorm';
import { dirname, isAbsolute, resolve } from 'node:path';
import type { Config } from '../ground/config/schema.js';
import { ownServer, sayAddress, type DatabaseAddress } from '../ground/database/address.js';
import { clusterAccount, firstClosedFolder } from '../ground/database/cluster/account.js';
import { binariesFor, installedVersions } from '../ground/database/cluster/binaries.js';
import { findCluster } from '../ground/database/cluster/cluster.js';
import { createDataSource } from './data-source.js';
import { probeDatabase } from '../ground/database/diagnose.js';
import { migrationState, newerDatabase, pendingMigrations } from '../ground/database/migrate.js';
import { changesBetween } from '@gather-lane/core';
import { presentFields } from '../workbench/model/migration/catalogue.js';
import { modelState } from '../workbench/model/migration/plan.js';
import { runningService } from './running.js';
import { holderOf } from './port-holder.js';

/** One thing that was looked at. `mend` says what to do, and is empty where nothing is wrong. */
export interface SetupFinding {
  readonly what: string;
  readonly state: 'good' | 'note' | 'bad';
  readonly found: string;
  readonly mend: string;
}

type Check = Omit<SetupFinding, 'what'>;
const good = (found: string): Check => ({ state: 'good', found, mend: '' });
const note = (found: string, mend: string): Check => ({ state: 'note', found, mend });
const bad = (found: string, mend: string): Check => ({ state: 'bad', found, mend });

/** Looks whether everything that the service needs is there, without changing anything. */
export async function checkSetup(
  config: Config,
  folder: string,
  environment: Record<string, string | undefined>,
): Promise<SetupFinding[]> {
  const data = isAbsolute(config.data) ? config.data : resolve(folder, config.data);
  const own = ownServer(config.database.url, environment);
  const running = runningService(data);
  const inUse = running?.database ?? (running ? await findCluster(data) : own);
  const checks: [string, () => Check | Promise<Check>][] = [
    ['Node', checkNode],
    ['Data folder', () => checkData(data)],
    ...(own
      ? ([['Database', () => checkOwnServer(own)]] as [string, () => Promise<Check>][])
      : ([
          ['PostgreSQL', () => checkPrograms(data)],
          ['Cluster account', () => checkAccount(data)],
        ] as [string, () => Check][])),
    ...(inUse
      ? ([
          ['Migrations', () => withConnection(inUse, (dataSource) => checkMigrations(dataSource, config))],
          ['Model', () => withConnection(inUse, (dataSource) => checkModel(dataSource, config))],
        ] as [string, () => Promise<Check>][])
      : []),
    ['Port', () => checkPort(config, running?.address ?? null)],
  ];
  const findings: SetupFinding[] = [];
  for (const [what, check] of checks) {
    try {
      findings.push({ what, ...(await check()) });
    } catch (error) {
      findings.push({ what, ...bad('could not be checked', (error as Error).message) });
    }
  }
  return findings;
}

function checkNode(): Check {
  const [major, minor] = process.versions.node.split('.').map(Number) as [number, number];
  return major > 20 || (major === 20 && minor >= 19)
    ? good(process.versions.node)
    : bad(process.versions.node, 'Install Node 20.19 or later.');
}

function checkData(data: string): Check {
  let nearest = data;
  while (!existsSync(nearest)) nearest = dirname(nearest);
  try {
    accessSync(nearest, constants.W_OK);
    return good(existsSync(data) ? data : `${data} (will be made)`);
  } catch {
    return bad(data, `This account may not write in ${nearest}: choose another folder with --data.`);
  }
}

function checkPrograms(data: string): Check {
  const versions = installedVersions();
  if (versions.length === 0)
    return bad('not installed', 'apt-get install postgresql, or set GATHER_LANE_DATABASE_URL to a server of yours.');
  binariesFor(resolve(data, 'pg'));
  return good(`${versions.join(', ')} (embedded cluster)`);
}

function checkAccount(data: string): Check {
  if (process.getuid?.() !== 0) return good('this account runs the cluster itself');
  const account = clusterAccount();
  if (!account)
    return bad(
      'there is no postgres account',
      'apt-get install postgresql, or start the service as another user than root.',
    );
  const closed = firstClosedFolder(data, account);
  return closed
    ? note(`postgres cannot pass through ${closed}`, 'The database will be kept under /var/lib/gather-lane instead.')
    : good('postgres runs the cluster, and reaches the data folder');
}

async function checkOwnServer(own: DatabaseAddress): Promise<Check> {
  return good(`${sayAddress(own)}, PostgreSQL ${await probeDatabase(own)}`);
}

async function withConnection<T>(address: DatabaseAddress, look: (dataSource: DataSource) => Promise<T>): Promise<T> {
  await probeDatabase(address);
  const dataSource = createDataSource(address, { poolSize: 2 });
  await dataSource.initialize();
  try {
    return await look(dataSource);
  } finally {
    await dataSource.destroy();
  }
}

async function checkMigrations(dataSource: DataSource, config: Config): Promise<Check> {
  const state = await migrationState(dataSource);
  if (state === 'newer') return bad('of a newer version', newerDatabase().message);
  const pending = await pendingMigrations(dataSource);
  if (pending.length === 0) return good('all are there');
  const found = state === 'empty' ? 'none is there yet' : `missing: ${pending.join(', ')}`;
  return config.database.migrate
    ? note(found, 'The next start runs them.')
    : bad(found, 'gather-lane start --migrate (or set database.migrate).');
}

async function checkModel(dataSource: DataSource, config: Config): Promise<Check> {
  if ((await migrationState(dataSource)) !== 'current') return note('waits for the migrations', '');
  const state = await modelState(dataSource, config.model);
  if (state === 'current') return good('the tables are what the model file says');
  const changes = changesBetween(await presentFields(dataSource), config.model).map(({ sentence }) => sentence);
  const mend = 'gather-lane model migrate (look first with gather-lane model changes).';
  return state === 'behind' ? bad(changes.join(' '), mend) : note(changes.join(' '), mend);
}

async function checkPort({ server }: Config, running: string | null): Promise<Check> {
  if (running !== null) return good(`the service listens on ${running}`);
  const free = await new Promise<string | null>((done) => {
    const probe = createServer().once('error', (error: Error & { code?: string }) => done(error.code ?? error.message));
    probe.listen(server.port, server.host, () => probe.close(() => done(null)));
  });
  if (free === null) return good(`${server.host}:${server.port} is free`);
  const holder = holderOf(server.port);
  return free === 'EADDRINUSE'
    ? bad(`${server.port} is taken${holder ? ` by ${holder}` : ''}`, 'Stop it, or choose another port with --port.')
    : bad(`${server.host}:${server.port} (${free})`, 'Correct server.host and server.port.');
}
