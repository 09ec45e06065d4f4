import { chmodSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { explainConnectError } from '../diagnose.js';
import { isDatabaseGone, wasCutOff } from '../gone.js';
import { makeDataFolder, startCluster, type Cluster } from './cluster.js';
import { takesSockets } from './socket.js';

let above: string;
beforeAll(() => {
  above = mkdtempSync(join(tmpdir(), 'gather-lane-socket-'));
  chmodSync(above, 0o711);
});
afterAll(() => rmSync(above, { recursive: true }));

async function clusterIn(name: string): Promise<{ readonly data: string; readonly cluster: Cluster }> {
  const data = join(above, name);
  makeDataFolder(data);
  return { data, cluster: await startCluster(data, () => undefined) };
}

/** Where the server says that somebody comes from: null by a Unix socket. */
async function comesFrom({ address }: Cluster): Promise<string | null> {
  const client = new pg.Client(address);
  await client.connect();
  const { rows } = await client.query<{ from: string | null }>(`SELECT inet_client_addr() AS from`);
  await client.end();
  return rows[0]!.from;
}

describe('a cluster of ours', () => {
  test('is talked to by a socket that others cannot reach, whatever its folder is called, and by loopback too', async () => {
    const { data, cluster } = await clusterIn(`it's "here", or there`);
    const sockets = join(data, 'socket');
    try {
      expect(cluster.address.host).toBe(sockets);
      expect(await comesFrom(cluster)).toBeNull();
      expect(await comesFrom({ ...cluster, address: { ...cluster.address, host: '127.0.0.1' } })).toBe('127.0.0.1');
      expect(statSync(sockets).mode & 0o777).toBe(0o700);
    } finally {
      await cluster.stop();
    }
    const gone = await comesFrom(cluster).catch((error: unknown) => error);
    expect(gone).toMatchObject({ code: 'ENOENT' });
    expect([isDatabaseGone(gone), wasCutOff(gone)]).toEqual([true, false]);
    expect(explainConnectError(gone, cluster.address).message).toBe(
      `Nothing listens for PostgreSQL at ${sockets}/.s.PGSQL.${cluster.address.port}: start the server, or correct host and port.`,
    );
    // A file that is not there has nothing to do with the database.
    let missing: unknown;
    try {
      readFileSync(join(above, 'no-such-file'));
    } catch (error) {
      missing = error;
    }
    expect(isDatabaseGone(missing)).toBe(false);
  });

  test('leaves no socket of one before it that was killed', async () => {
    const { data, cluster } = await clusterIn('killed');
    const pid = Number(readFileSync(join(cluster.folder, 'postmaster.pid'), 'utf8').split('\n')[0]);
    process.kill(pid, 'SIGKILL');
    await cluster.stop();
    writeFileSync(join(data, 'socket', 'left-over'), '');
    const again = await startCluster(data, () => undefined);
    try {
      const { port } = again.address;
      expect(readdirSync(join(data, 'socket')).sort()).toEqual([`.s.PGSQL.${port}`, `.s.PGSQL.${port}.lock`]);
      expect(await comesFrom(again)).toBeNull();
    } finally {
      await again.stop();
    }
  });

  test('is talked to by loopback where it outlived a service that knew of no socket', async () => {
    const { data, cluster } = await clusterIn('older');
    rmSync(join(data, 'socket'), { recursive: true });
    const adopted = await startCluster(data, () => undefined);
    try {
      expect([adopted.adopted, adopted.address.host]).toEqual([true, '127.0.0.1']);
      expect(await comesFrom(adopted)).toBe('127.0.0.1');
    } finally {
      await cluster.stop();
    }
  });

  test('has no socket where its file system takes none', async () => {
    expect(await takesSockets('/proc')).toBe(false);
    expect(await takesSockets(above)).toBe(true);
    expect(readdirSync(above)).not.toContain('probe');
  });

  test('is talked to by loopback where the path is too long for a socket', async () => {
    mkdirSync(join(above, 'long'.repeat(20)), { mode: 0o711 });
    const { cluster } = await clusterIn(join('long'.repeat(20), 'data'));
    try {
      expect(cluster.address.host).toBe('127.0.0.1');
      expect(await comesFrom(cluster)).toBe('127.0.0.1');
    } finally {
      await cluster.stop();
    }
  });
});
