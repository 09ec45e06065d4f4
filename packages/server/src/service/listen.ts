import type { FastifyInstance } from 'fastify';
import type { Config } from '../ground/config/schema.js';
import { holderOf } from './port-holder.js';
import { StartRefused } from './start-refused.js';

/** Ports that browsers, and what fetches as they do, refuse to call: the Fetch standard's list of bad ports, section 2.9. */
const BAD_PORTS = [
  1, 7, 9, 11, 13, 15, 17, 19, 20, 21, 22, 23, 25, 37, 42, 43, 53, 69, 77, 79, 87, 95, 101, 102, 103, 104, 109, 110,
  111, 113, 115, 117, 119, 123, 135, 137, 139, 143, 161, 179, 389, 427, 465, 512, 513, 514, 515, 526, 530, 531, 532,
  540, 548, 554, 556, 563, 587, 601, 636, 989, 990, 993, 995, 1719, 1720, 1723, 2049, 3659, 4045, 4190, 5060, 5061,
  6000, 6566, 6665, 6666, 6667, 6668, 6669, 6679, 6697, 10080,
];

/** @throws StartRefused for a port that no browser calls */
export function refuseBadPort({ port }: Config['server']): void {
  if (BAD_PORTS.includes(port))
    throw new StartRefused(
      `No browser calls port ${port}: it is on the Fetch standard's list of bad ports. Choose another with --port.`,
    );
}

/** Begins to listen. @throws StartRefused saying who has the port, or what is wrong with it */
export async function listen(app: FastifyInstance, { server }: Config): Promise<void> {
  try {
    await app.listen({ host: server.host, port: server.port });
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'EADDRINUSE') {
      const holder = holderOf(server.port);
      throw new StartRefused(
        `Port ${server.port} is taken${holder ? ` by ${holder}` : ''}: stop it, or choose another with --port.`,
      );
    }
    if (code === 'EACCES')
      throw new StartRefused(
        `Port ${server.port} needs rights that this account does not have: choose one above 1023 with --port.`,
      );
    if (code === 'EADDRNOTAVAIL')
      throw new StartRefused(`${server.host} is no address of this machine: correct server.host.`);
    throw error;
  }
}
