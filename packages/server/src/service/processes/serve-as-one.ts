import { Server } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import type { Service } from '../start-options.js';
import { StartRefused } from '../start-refused.js';
import { DatabaseFault } from '../../ground/database/database-fault.js';
import type { Refusal } from './one-of-many.js';

/**
 * Runs a service as one of several processes: it ends when it is told to, by whatever signal and once, or at once where the process that
 * keeps it is gone.
 */
export async function serveAsOne(start: () => Promise<Service>): Promise<void> {
  let ending: Promise<void> | undefined;
  let service: Service | undefined;
  let wanted = false;
  const end = () => {
    wanted = true;
    if (!service) return;
    ending ??= retire(service).then(
      () => process.exit(0),
      () => process.exit(1),
    );
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, end);
  // A rolling restart is asked of the process that keeps the others; a terminal asks all of them.
  process.on('SIGUSR2', () => undefined);
  process.on('disconnect', () => process.exit(1));
  try {
    service = await start();
  } catch (error) {
    if (!(error instanceof StartRefused || error instanceof DatabaseFault)) throw error;
    process.send?.({ refused: error.message } satisfies Refusal, () => process.exit(1));
    return;
  }
  if (wanted) end();
}

/** So long callers have to leave a connection that they keep. */
const LEAVING_MS = 1_000;

/** Takes no new connections and ends those that it has with the next reply, so that another process gets what comes; then ends. */
async function retire(service: Service): Promise<void> {
  const { server } = service.app;
  server.prependListener('request', (_request, response) => response.setHeader('connection', 'close'));
  // Of a plain server: one of HTTP would cut connections on which a call may be on its way.
  Server.prototype.close.call(server);
  await pause(LEAVING_MS);
  // Those on which nothing came: whoever calls next takes another connection rather than be told to.
  server.closeIdleConnections();
  await service.stop();
}
