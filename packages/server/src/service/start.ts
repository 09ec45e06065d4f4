import type { Service, StartOptions } from './start-options.js';

/**
 * Starts the service. It is loaded when called: a command that works on the data alone needs no HTTP.
 * @throws StartRefused, DatabaseFault
 */
export async function startService(options: StartOptions): Promise<Service> {
  const service = await import('./service.js');
  return service.startService(options);
}
