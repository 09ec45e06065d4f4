import type { Processes } from './processes/start-processes.js';
import type { Service, StartOptions } from './start-options.js';

/**
 * Starts the service. It is loaded when called: a command that works on the data alone needs no HTTP.
 * @throws StartRefused, DatabaseFault
 */
export async function startService(options: StartOptions): Promise<Service> {
  const service = await import('./service.js');
  return service.startService(options);
}

/**
 * Starts the service as several processes; see there.
 * @throws StartRefused, DatabaseFault
 */
export async function startProcesses(options: StartOptions, count: number): Promise<Processes> {
  const processes = await import('./processes/start-processes.js');
  return processes.startProcesses(options, count);
}
