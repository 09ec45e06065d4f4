import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';

/** Waits until a server lets somebody in, or the process that is to be one has ended. */
export async function untilItAnswers(address, child) {
  for (;;) {
    const client = new pg.Client(address);
    client.on('error', () => undefined);
    try {
      await client.connect();
      return;
    } catch (error) {
      if (child.exitCode !== null) throw error;
      await pause(100);
    } finally {
      await client.end().catch(() => undefined);
    }
  }
}
