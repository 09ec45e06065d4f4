import type { OpenDatabase } from '@gather-lane/server';
import { Failure } from './failure.js';
import { remark } from './output.js';
import { server, settings, type SettingOptions } from './settings.js';

/** Opens the database of the service that is configured here, does some work, and closes it again. */
export async function withDatabase<T>(
  options: SettingOptions,
  work: (database: OpenDatabase) => Promise<T>,
): Promise<T> {
  const { DatabaseFault, openDatabase, RealAccounts, FillRefused, TransferRefused } = await server();
  const { config, environment } = await settings(options);
  const refusals = [DatabaseFault, RealAccounts, FillRefused, TransferRefused];
  let database: OpenDatabase | undefined;
  try {
    database = await openDatabase(config, process.cwd(), environment, remark);
    return await work(database);
  } catch (error) {
    if (refusals.some((kind) => error instanceof kind)) throw new Failure((error as Error).message);
    throw error;
  } finally {
    await database?.close();
  }
}
