import type { OpenDatabase } from '@gather-lane/server';
import { Failure } from './failure.js';
import { remark } from './output.js';
import { server, settings, type SettingOptions } from './settings.js';

const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;

/** Opens the database of the service that is configured here, does some work, and closes it again. */
export async function withDatabase<T>(
  options: SettingOptions,
  work: (database: OpenDatabase) => Promise<T>,
): Promise<T> {
  const {
    BackupRefused,
    DatabaseFault,
    explainMissingRight,
    openDatabase,
    RealAccounts,
    FillRefused,
    TransferRefused,
  } = await server();
  const { config, environment } = await settings(options);
  const refusals = [BackupRefused, DatabaseFault, RealAccounts, FillRefused, TransferRefused];
  let database: OpenDatabase | undefined;
  let interrupted = false;
  const interrupt = () => {
    if (interrupted) return;
    interrupted = true;
    remark('\nInterrupted: what was under way is taken back, whole batches before it are in.');
    void database?.abandon().finally(() => process.exit(1));
  };
  for (const signal of SIGNALS) process.on(signal, interrupt);
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => undefined);
  try {
    database = await openDatabase(config, process.cwd(), environment, remark);
    return await work(database);
  } catch (error) {
    // The connection breaks as the database goes: the interrupt ends the process.
    if (interrupted) await new Promise(() => undefined);
    if (refusals.some((kind) => error instanceof kind)) throw new Failure((error as Error).message);
    const right = explainMissingRight(error);
    throw right ? new Failure(right.message) : error;
  } finally {
    for (const signal of SIGNALS) process.off(signal, interrupt);
    await database?.close();
  }
}
