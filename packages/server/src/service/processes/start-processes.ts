import cluster, { type Worker } from 'node:cluster';
import { setTimeout as pause } from 'node:timers/promises';
import { COUNT_STATEMENTS } from '../../workbench/traces/count-statements.js';
import { createDataSource } from '../data-source.js';
import { prepare } from '../prepare.js';
import { Resources } from '../resources.js';
import { noteRunning } from '../running.js';
import { claimData, operatorKey } from '../service.js';
import type { StartOptions } from '../start-options.js';
import { StartRefused } from '../start-refused.js';
import { explainMissingRight } from '../../ground/database/diagnose.js';
import { MetricsGatherer } from './gather-metrics.js';
import { asOneOfMany, type Refusal } from './one-of-many.js';

/** Connections of the server that are left to others: commands, and whoever looks into it. */
const LEFT_TO_OTHERS = 15;
/** A process that died is followed by another after so long, after twice as long when that dies too, and so on. */
const [AGAIN_MS, AGAIN_AT_MOST_MS] = [100, 10_000];
/** One that lived for so long did not die of how it started. */
const LIVED_MS = 30_000;

/** Several processes that serve one address. */
export interface Processes {
  readonly address: string;
  readonly operatorKeyPath: string;
  /** Why they cannot work yet, with the one command that mends it, or null. */
  notReady(): string | null;
  /** Puts a new process in the place of each, one after the other: one that has answered its calls ends once the new one listens. */
  renew(): Promise<void>;
  /** Ends all of them, each once it has answered its calls, and what they share. */
  stop(): Promise<void>;
}

/**
 * Starts a service of several processes, which run the same program again. This one holds what they share: the data folder, the embedded
 * cluster, the migrations; it serves nothing itself.
 * @throws StartRefused, DatabaseFault
 */
export async function startProcesses(options: StartOptions, count: number): Promise<Processes> {
  const { config, notice } = options;
  if (options.demo)
    throw new StartRefused(
      'The demo has stand-ins of its own, which one process has: leave out --processes or --demo.',
    );
  const resources = new Resources();
  try {
    const { data, address, cluster: embedded } = await claimData(options, resources);
    const key = operatorKey(options, data);
    const dataSource = createDataSource(address, { poolSize: 2, model: config.model });
    await dataSource.initialize();
    const readiness = await prepare(dataSource, options, embedded !== null);
    if (embedded) await dataSource.query(COUNT_STATEMENTS).catch(() => undefined);
    const [{ max }] = await dataSource.query<[{ max: number }]>(
      `SELECT current_setting('max_connections')::integer AS max`,
    );
    await dataSource.destroy();
    const told = asOneOfMany({ address, poolSize: poolSizeFor(config.database.poolSize, count, max) });
    const keeper = new Keeper(told, notice);
    resources.add('the processes', () => keeper.stop());
    const first = await keeper.begin(count);
    const host = config.server.host.includes(':') ? `[${config.server.host}]` : config.server.host;
    const listening = `http://${host}:${first.port}`;
    resources.add('the note of it', noteRunning(data, { address: listening, database: embedded ? null : address }));
    embedded?.watch(notice);
    return {
      address: listening,
      operatorKeyPath: key.path,
      notReady: () => readiness.reason,
      renew: () => keeper.renew(),
      stop: () => resources.close(4 * config.server.stopSeconds * 1000),
    };
  } catch (error) {
    await resources.close().catch(() => undefined);
    throw explainMissingRight(error) ?? error;
  }
}

/** Each process has two pools of calls, and six connections for its own work. */
export const poolSizeFor = (wanted: number, processes: number, max: number): number =>
  Math.max(2, Math.min(wanted, Math.floor((max - LEFT_TO_OTHERS - 6 * processes) / (2 * processes))));

/** Keeps so many processes alive. */
class Keeper {
  readonly #told: NodeJS.ProcessEnv;
  readonly #notice: (text: string) => void;
  readonly #leaving = new Set<Worker>();
  readonly #metrics = new MetricsGatherer(all);
  #renewing: Promise<void> = Promise.resolve();
  #deaths = 0;
  #stopping = false;

  constructor(told: NodeJS.ProcessEnv, notice: (text: string) => void) {
    this.#told = told;
    this.#notice = notice;
  }

  async begin(count: number): Promise<{ port: number }> {
    const first = await this.#fork();
    for (let n = 1; n < count; n++) await this.#fork();
    return first;
  }

  /** One renewal after the other. */
  renew(): Promise<void> {
    this.#renewing = this.#renewing.then(async () => {
      for (const old of all()) {
        if (this.#stopping || old.isDead()) continue;
        await this.#fork();
        this.#leaving.add(old);
        await ended(old);
      }
    });
    return this.#renewing;
  }

  async stop(): Promise<void> {
    this.#stopping = true;
    await Promise.all(all().map(ended));
  }

  /** @returns where it listens, once it does */
  #fork(): Promise<{ port: number }> {
    const worker = cluster.fork(this.#told);
    const begun = Date.now();
    return new Promise((resolve, reject) => {
      let [listens, refused] = [false, 'A process ended before it listened: what it said stands above.'];
      this.#metrics.hear(worker);
      worker.on('message', (said: Refusal) => (refused = said.refused ?? refused));
      worker.once('listening', ({ port }) => {
        listens = true;
        resolve({ port });
      });
      worker.once('exit', (code, signal) => {
        if (!listens) return reject(new StartRefused(refused));
        if (this.#stopping || this.#leaving.delete(worker)) return;
        this.#deaths = Date.now() - begun > LIVED_MS ? 1 : this.#deaths + 1;
        const inMs = Math.min(AGAIN_AT_MOST_MS, AGAIN_MS * 2 ** (this.#deaths - 1));
        this.#notice(`Process ${worker.process.pid} ended (${signal || `code ${code}`}); another takes its place.`);
        void this.#again(inMs);
      });
    });
  }

  async #again(inMs: number): Promise<void> {
    await pause(inMs, undefined, { ref: false });
    if (this.#stopping) return;
    await this.#fork().catch((error: unknown) => {
      this.#deaths++;
      this.#notice(`No process could take its place: ${(error as Error).message}`);
      return this.#again(Math.min(AGAIN_AT_MOST_MS, AGAIN_MS * 2 ** this.#deaths));
    });
  }
}

const all = (): Worker[] => Object.values(cluster.workers ?? {}).filter((worker) => worker !== undefined);

/** Tells a process to end, and waits until it has. */
function ended(worker: Worker): Promise<void> {
  if (worker.isDead()) return Promise.resolve();
  const gone = new Promise<void>((resolve) => worker.once('exit', () => resolve()));
  worker.process.kill('SIGTERM');
  return gone;
}
