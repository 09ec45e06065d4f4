import { rmSync } from 'node:fs';
import { isAbsolute, resolve } from 'node:path';
import type { FastifyInstance } from 'fastify';
import type { DataSource } from 'typeorm';
import type { House } from '../ground/capability/house.js';
import type { Config } from '../ground/config/schema.js';
import { oneServer, ownServer, type DatabaseAddress } from '../ground/database/address.js';
import { makeDataFolder, startCluster, type Cluster } from '../ground/database/cluster/cluster.js';
import { keptLogFolder } from '../ground/database/cluster/kept-log.js';
import { lockFolder } from '../ground/database/cluster/service-lock.js';
import { NO_LIMITS, type StatementLimits } from '../ground/database/data-source.js';
import { explainMissingRight, probeDatabase } from '../ground/database/diagnose.js';
import { loadDemoPictures } from '../workbench/demo/pictures.js';
import { buildApp } from './http/app.js';
import { CallsUnderWay } from './http/calls.js';
import { openStandIns } from './stand-ins.js';
import { mediaStore } from '../accounts/media/media-store.js';
import { Heartbeat, HEARTBEAT_MS } from '../workbench/model/migration/live.js';
import { modelState } from '../workbench/model/migration/plan.js';
import { Media } from '../accounts/media/service.js';
import { COUNT_STATEMENTS } from '../workbench/traces/count-statements.js';
import { Recorder } from '../workbench/traces/recorder.js';
import { settleRowTriggers } from '../workbench/traces/row-triggers.js';
import { tracesCalls } from '../ground/traces/is-on.js';
import { shownIn } from '../ground/traces/shown-columns.js';
import type { IsShown } from '../ground/traces/told-rows.js';
import { Weightings } from '../workbench/weighting/service.js';
import { NoOperatorKey, OperatorKey } from '../accounts/operator/key.js';
import { listen, refuseBadPort } from './listen.js';
import { MODEL_BEHIND, prepare, type Readiness } from './prepare.js';
import { Resources } from './resources.js';
import { noteRunning } from './running.js';
import { builtConsole } from '../package-files.js';
import { assemble, jobsOf } from './assemble.js';
import { CAPABILITIES, PLAN } from './capabilities.js';
import { createDataSource } from './data-source.js';
import type { Service, StartOptions } from './start-options.js';
import { StartRefused } from './start-refused.js';
import { PlanFunctions } from '../ground/pooler/plan-functions.js';
import { requireSettings } from '../ground/pooler/settings.js';
import { Metrics } from '../ground/metrics/metrics.js';
import { JobRunner } from '../ground/jobs/runner.js';

/** Connections for work that nobody waits for: a build, a job, a migration, and what each of them holds a lock on. */
const BACKGROUND_POOL = 6;
const LOOPBACK = ['127.0.0.1', 'localhost', '::1'];

/**
 * Starts the service: database, migrations where the configuration says so, demo data, HTTP.
 * @throws StartRefused, DatabaseFault
 */
export async function startService(options: StartOptions): Promise<Service> {
  const { config, demo, notice } = options;
  if (demo && !LOOPBACK.includes(config.server.host))
    throw new StartRefused(
      `The demo's passwords are published, so it listens on loopback only, not on ${config.server.host}: leave out --demo or --host.`,
    );
  refuseBadPort(config.server);
  const resources = new Resources();
  try {
    // Beside others, what all of them share is held by the process that keeps them.
    const { within } = options;
    const { data, address, cluster } = within
      ? { data: dataFolder(options), address: within.address, cluster: null }
      : await claimData(options, resources);
    const background = await connect(address, config, resources, NO_LIMITS);
    const readiness = await prepare(background, options, cluster !== null);
    if (cluster) await background.query(COUNT_STATEMENTS).catch(() => undefined);
    const traced = tracesCalls(config, demo) ? shownIn(PLAN, config.model) : undefined;
    const dataSource = await connectForCalls(address, background, options, resources, {
      traced,
      most: within?.poolSize,
    });
    const key = operatorKey(options, data);
    const { standIn, mailbox } = demo
      ? await openStandIns(resources, config.mail.smtp === undefined, notice)
      : { standIn: null, mailbox: null };
    const { model } = config;
    const assembled = assemble(
      CAPABILITIES,
      { plan: PLAN, database: dataSource, background, config, demo, modelFile: options.modelFile ?? (() => model) },
      { key, store: mediaStore(config, options.folder, data), mailbox, standIn },
    );
    const { house, running } = assembled;
    if (readiness.demoIsNew) await loadDemoPictures({ database: dataSource, media: house.get(Media) });
    house.get(Metrics).begin();
    const calls = new CallsUnderWay();
    const app = await buildApp(assembled, {
      consoleFolder: builtConsole(),
      notReady: () => readiness.reason,
      operatorReady: () => readiness.migrated,
      calls,
      ...(options.logStream && { logStream: options.logStream }),
    });
    for (const { stop } of running) if (stop) resources.add('what is under way', stop);
    resources.add('the server', () => {
      for (const { ending } of running) ending?.();
      return closeApp(app, calls, config.server.stopSeconds * 1000);
    });
    await listen(app, config);
    const { port } = app.server.address() as { port: number };
    const host = config.server.host.includes(':') ? `[${config.server.host}]` : config.server.host;
    const listening = `http://${host}:${port}`;
    house.address.listensAt(listening);
    standIn?.allow([house.address.to(`/sign-in/${standIn.provider.name}`)]);
    if (!within)
      resources.add('the note of it', noteRunning(data, { address: listening, database: cluster ? null : address }));
    cluster?.watch((text) => {
      notice(text);
      app.log.error(text);
    });
    if (readiness.migrated) {
      await live(house, readiness, app, resources);
      const runner = house.get(JobRunner);
      await runner.begin(jobsOf(running), (error) => app.log.error(error));
      resources.add('jobs', () => runner.stop());
    }
    return {
      address: listening,
      operatorKeyPath: key.path,
      app,
      house,
      notReady: () => readiness.reason,
      stop: () => resources.close(2 * config.server.stopSeconds * 1000),
    };
  } catch (error) {
    // Why it did not start is what is told, whatever goes wrong after it.
    await resources.close().catch(() => undefined);
    throw explainMissingRight(error) ?? error;
  }
}

const dataFolder = ({ config, folder }: StartOptions): string =>
  isAbsolute(config.data) ? config.data : resolve(folder, config.data);

/** Takes the data folder for this service alone, and finds or starts its database. @throws DatabaseFault, StartRefused */
export async function claimData(
  options: StartOptions,
  resources: Resources,
): Promise<{ data: string; address: DatabaseAddress; cluster: Cluster | null }> {
  const data = dataFolder(options);
  makeDataFolder(data);
  resources.add('the lock of the data folder', lockFolder(data));
  return { data, ...(await database(options, data, resources)) };
}

/** The key of whoever runs the service. A demo has one of its own: the variable may hold that of a service which is none. @throws StartRefused */
export function operatorKey({ config, environment, folder, demo }: StartOptions, data: string): OperatorKey {
  const file = config.operatorKeyFile && resolve(folder, config.operatorKeyFile);
  try {
    return new OperatorKey(data, demo ? {} : { key: environment.GATHER_LANE_OPERATOR_KEY || undefined, file });
  } catch (error) {
    throw error instanceof NoOperatorKey ? new StartRefused(error.message) : error;
  }
}

/** New calls are refused with an answer while those under way end; what is not done in time is cut. */
async function closeApp(app: FastifyInstance, calls: CallsUnderWay, withinMs: number): Promise<void> {
  await calls.drain(withinMs);
  const closing = app.close();
  // Also those on which nothing was asked yet: browsers open some in advance, and nobody would ever close them.
  app.server.closeAllConnections();
  await closing;
}

async function database(
  { config, environment, folder, fresh, demo, notice }: StartOptions,
  data: string,
  resources: Resources,
): Promise<{ address: DatabaseAddress; cluster: Cluster | null }> {
  const own = ownServer(config.database.url, environment);
  if (own) {
    if (fresh)
      throw new StartRefused('--fresh throws away the embedded demo only, never the data on a server of yours.');
    await probeDatabase(own);
    return { address: own, cluster: null };
  }
  // A demo is thrown away, and what the configuration keeps is that of a service which is none.
  const choices = demo ? {} : { keepLog: keptLogFolder(config, folder) };
  let cluster = await startCluster(data, notice, choices);
  if (fresh && demo) {
    await cluster.stop();
    rmSync(cluster.folder, { recursive: true, force: true });
    cluster = await startCluster(data, notice, choices);
  }
  resources.add('the cluster', () => cluster.stop());
  return { address: cluster.address, cluster };
}

/** Connections of calls: through the pooler where there is one, and calls are not traced, which takes connections that are held. */
async function connectForCalls(
  address: DatabaseAddress,
  background: DataSource,
  { config, notice }: StartOptions,
  resources: Resources,
  { traced, most }: { traced: IsShown | undefined; most: number | undefined },
): Promise<DataSource> {
  const { pooler } = config.database;
  if (pooler && traced) notice('Calls are traced, and so go past the pooler.');
  if (!pooler || traced) return connect(address, config, resources, config.database, { traced, most });
  let told = false;
  const pooled = new PlanFunctions(background, (error) => {
    if (!told)
      notice(`Statements are planned each time, since no function can keep their plans: ${(error as Error).message}`);
    told = true;
  });
  const through = oneServer(pooler, 'database.pooler');
  await probeDatabase(through);
  const dataSource = await connect(through, config, resources, config.database, { pooled, most });
  await requireSettings(dataSource, config.database);
  return dataSource;
}

async function connect(
  address: DatabaseAddress,
  config: Config,
  resources: Resources,
  limits: StatementLimits,
  {
    traced,
    pooled,
    most = config.database.poolSize,
  }: { traced?: IsShown | undefined; pooled?: PlanFunctions; most?: number | undefined } = {},
): Promise<DataSource> {
  const { preparedStatements } = config.database;
  const dataSource = createDataSource(address, {
    poolSize: limits === NO_LIMITS ? BACKGROUND_POOL : most,
    model: config.model,
    prepares: limits !== NO_LIMITS && preparedStatements,
    limits,
    pooled,
    traced,
  });
  await dataSource.initialize();
  resources.add('the connections', () => dataSource.destroy());
  return dataSource;
}

/** Says regularly that the service lives; one that waits for the model notices when the tables have it. */
async function live(house: House, readiness: Readiness, app: FastifyInstance, resources: Resources): Promise<void> {
  const { background, config } = house;
  const traces = house.find(Recorder) !== null;
  const heartbeat = new Heartbeat(background, config.model);
  const weightings = house.get(Weightings);
  await heartbeat.begin();
  await settleRowTriggers(background, house.plan, config.model, traces).catch((error: unknown) => app.log.warn(error));
  const beat = async () => {
    await heartbeat.beat();
    await house.keyChanges.ask(background);
    if (readiness.reason === MODEL_BEHIND && (await modelState(background, config.model)) !== 'behind')
      readiness.reason = null;
    // What another process left when it was killed is gone on with here.
    void weightings.resume().catch((error: unknown) => app.log.error(error));
  };
  let [beating, ended] = [Promise.resolve(), false];
  const timer = setInterval(() => {
    if (!ended) beating = beat().catch((error: unknown) => app.log.error(error));
  }, HEARTBEAT_MS);
  timer.unref();
  resources.add('the sign of life', async () => {
    ended = true;
    clearInterval(timer);
    await beating;
    // A database that has gone away first takes its word for it.
    await heartbeat.end().catch(() => undefined);
    if (traces) await settleRowTriggers(background, house.plan, config.model, false).catch(() => undefined);
  });
}
