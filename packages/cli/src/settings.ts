import type { Command } from 'commander';
import { wholeNumber } from './commands/arguments.js';
import type { CommonOptions } from './context.js';
import { Failure } from './failure.js';

/** The service's package, loaded only by the commands that run or look at the service: the others start in a blink. */
export const server = () => import('@gather-lane/server');

/** Options that say which service, where and with what data. */
export interface SettingOptions extends CommonOptions {
  config?: string;
  data?: string;
  host?: string;
  port?: number;
}

/** Adds those options to a command. */
export const withSettings = (command: Command): Command =>
  command
    .option('--config <file>', 'configuration file (gather-lane.yaml)')
    .option('--data <folder>', 'data folder (.gather-lane)')
    .option('--host <address>', 'address to listen on (127.0.0.1)')
    .option('--port <n>', 'port to listen on (7461)', wholeNumber(0, 65_535));

/** The configuration that a service started here with these options would have. */
export async function settings({ config: file, data, host, port }: SettingOptions, more: Record<string, unknown> = {}) {
  const flags = { 'data': data, 'server.host': host, 'server.port': port, ...more };
  const { ConfigError, loadConfig } = await server();
  try {
    return loadConfig({ folder: process.cwd(), ...(file && { file }), environment: process.env, flags });
  } catch (error) {
    throw error instanceof ConfigError ? new Failure(error.message, 2) : error;
  }
}
