// A plain standby of a cluster on this machine, made from a base backup.
import { execFileSync, spawn } from 'node:child_process';
import { chownSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { clusterAccount } from '../packages/server/dist/ground/database/cluster/account.js';
import { untilItAnswers } from './answers.mjs';

const BINARIES = '/usr/lib/postgresql/15/bin';

/** Starts a standby of the server at an address. @returns its address, and how it ends */
export async function startStandby(primary) {
  const account = clusterAccount();
  const folder = mkdtempSync('/var/tmp/gather-lane-standby-');
  if (account) chownSync(folder, account.uid, account.gid);
  const { port: from, user, password } = primary;
  const as = { ...account, cwd: '/', env: { ...process.env, PGPASSWORD: password }, stdio: 'ignore' };
  const where = ['-h', '127.0.0.1', '-p', String(from), '-U', user];
  execFileSync(join(BINARIES, 'pg_basebackup'), ['-D', folder, '-R', '-X', 'stream', '-c', 'fast', ...where], as);
  const port = await freePort();
  const settings = { port, listen_addresses: '127.0.0.1', unix_socket_directories: '', max_connections: 200 };
  const options = Object.entries(settings).flatMap(([name, value]) => ['-c', `${name}=${value}`]);
  const child = spawn(join(BINARIES, 'postgres'), ['-D', folder, ...options], as);
  const address = { ...primary, port };
  await untilItAnswers(address, child);
  return {
    address,
    async stop() {
      const gone = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGINT');
      await gone;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

const freePort = () =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
