import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execFileSync, spawn } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { isAlive } from '../packages/server/src/ground/database/cluster/keeper.js';
import { clean, COMMAND, run, start, type Started } from './command.js';

const asRoot = process.getuid?.() === 0;
let folder = '';
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-cluster-'));
  chmodSync(folder, 0o755);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const data = () => join(folder, '.gather-lane');
/** The process of the cluster; NaN while it is being started again. */
const clusterPid = (): number => {
  const path = join(data(), 'pg/postmaster.pid');
  return existsSync(path) ? Number(readFileSync(path, 'utf8').split('\n')[0]) : NaN;
};
/** How many posts the cluster of the folder holds; 0 as long as nothing answers there. */
async function postsInCluster(): Promise<number> {
  const [, , , port] = existsSync(join(data(), 'pg/postmaster.pid'))
    ? readFileSync(join(data(), 'pg/postmaster.pid'), 'utf8').split('\n')
    : [];
  const password = existsSync(join(data(), 'pg.password'))
    ? readFileSync(join(data(), 'pg.password'), 'utf8').trim()
    : '';
  const client = new pg.Client({
    host: '127.0.0.1',
    port: Number(port),
    user: 'postgres',
    password,
    database: 'gather_lane',
  });
  try {
    await client.connect();
    return (await client.query<{ n: number }>(`SELECT count(*)::integer AS n FROM posts`)).rows[0]!.n;
  } catch {
    return 0;
  } finally {
    await client.end().catch(() => undefined);
  }
}
/** Waits until a service works, and something beside. One that ends meanwhile never will. */
async function untilReady({ address, ended, said }: Started, condition: () => boolean): Promise<void> {
  let code: number | null | undefined;
  void ended.then((told) => (code = told));
  const ready = async () => (await fetch(`${address}/ready`).catch(() => null))?.status === 200;
  while (!(condition() && (await ready()))) {
    if (code !== undefined) throw new Error(`the service ended with ${code}: ${said()}`);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}
const counts = async ({ address, operatorKey }: { address: string; operatorKey: string }) => {
  const reply = await fetch(`${address}/v1/operator/stats`, {
    headers: { authorization: `Bearer ${readFileSync(operatorKey, 'utf8').trim()}` },
  });
  return ((await reply.json()) as { counts: Record<string, number> }).counts;
};

describe('the embedded cluster', () => {
  test('is made on the first start, with the demo, and leaves no process behind on SIGTERM', async () => {
    const service = await start(['--demo'], { cwd: folder });
    expect(await counts(service)).toMatchObject({ users: 60, posts: 900 });
    const pid = clusterPid();
    expect(isAlive(pid)).toBe(true);
    expect(statSync(service.operatorKey).mode & 0o777).toBe(0o600);
    expect(statSync(join(data(), 'pg')).mode & 0o777).toBe(0o700);
    expect(await service.stop('SIGTERM')).toBe(0);
    expect(isAlive(pid)).toBe(false);
    expect(existsSync(join(data(), 'service.lock'))).toBe(false);
  });

  test('is adopted when it outlived a killed service, with the same data', async () => {
    const first = await start(['--demo'], { cwd: folder });
    const pid = clusterPid();
    await first.stop('SIGKILL');
    expect(isAlive(pid)).toBe(true);
    const second = await start(['--demo'], { cwd: folder });
    expect(second.said()).toContain('outlived an earlier service');
    expect(clusterPid()).toBe(pid);
    expect(await counts(second)).toMatchObject({ users: 60, posts: 900 });
    expect(await second.stop('SIGINT')).toBe(0);
    expect(isAlive(pid)).toBe(false);
  });

  test('serves one service at a time: a second on the same folder is refused and told why', async () => {
    const first = await start(['--demo'], { cwd: folder });
    await expect(start(['--demo'], { cwd: folder })).rejects.toThrow(/Another Gather Lane \(process \d+\) uses/);
    expect(await counts(first)).toMatchObject({ users: 60 });
    await first.stop();
  });

  test('is started again when it dies under a running service, which goes on with the same data', async () => {
    const service = await start(['--demo'], { cwd: folder });
    const pid = clusterPid();
    process.kill(pid, 'SIGKILL');
    await untilReady(service, () => clusterPid() > 0 && clusterPid() !== pid);
    expect(await counts(service)).toMatchObject({ users: 60, posts: 900 });
    expect(service.said()).toContain('PostgreSQL ended unexpectedly: it is started again');
    const again = clusterPid();
    expect(await service.stop()).toBe(0);
    expect(isAlive(again)).toBe(false);
  });

  test('that stands still is not waited for: /ready says so, and /health that the service is alive', async () => {
    const service = await start(['--demo'], { cwd: folder });
    await untilReady(service, () => true);
    const children = execFileSync('ps', ['--ppid', String(clusterPid()), '-o', 'pid='], { encoding: 'utf8' });
    const pids = [clusterPid(), ...children.trim().split(/\s+/).map(Number)];
    const all = (signal: NodeJS.Signals) => pids.forEach((pid) => isAlive(pid) && process.kill(pid, signal));
    all('SIGSTOP');
    const status = async (path: string) =>
      (await fetch(service.address + path, { signal: AbortSignal.timeout(20_000) })).status;
    expect([await status('/ready'), await status('/health')]).toEqual([503, 200]);
    all('SIGCONT');
    await untilReady(service, () => true);
    expect(await service.stop()).toBe(0);
  });

  test('a start without --demo ends the sessions of demo users, and --fresh begins anew', async () => {
    const demo = await start(['--demo'], { cwd: folder });
    const env = { GATHER_LANE_SESSION_FILE: join(folder, 'session.json') };
    expect((await run(['sign-in', 'odile', '--address', demo.address], { env })).code).toBe(0);
    await run(['post', 'Only until the fresh start', '--address', demo.address], { env });
    expect(await counts(demo)).toMatchObject({ posts: 901 });
    await demo.stop();
    const plain = await start([], { cwd: folder });
    expect(plain.said()).toContain('1 sessions of demo users were ended');
    await plain.stop();
    const fresh = await start(['--demo', '--fresh'], { cwd: folder });
    expect(await counts(fresh)).toMatchObject({ posts: 900 });
    await fresh.stop();
  });

  test('a folder of a cluster of another version says how to upgrade', async () => {
    const version = join(data(), 'pg/PG_VERSION');
    const original = readFileSync(version, 'utf8');
    writeFileSync(version, '14\n');
    await expect(start([], { cwd: folder })).rejects.toThrow(/made by PostgreSQL 14, which is not installed here/);
    writeFileSync(version, original);
  });

  test('a fill that is interrupted stops the cluster that it started, and leaves whole batches', async () => {
    const args = [COMMAND, 'fill', '--users', '500', '--posts', '200000'];
    const child = spawn(process.execPath, args, { cwd: folder, env: clean() });
    let said = '';
    child.stderr.on('data', (chunk) => (said += String(chunk)));
    const ended = new Promise((resolve) => child.once('close', resolve));
    // Into the middle of it: some of its posts are in, and most are not.
    while ((await postsInCluster()) < 1_000) await new Promise((resolve) => setTimeout(resolve, 20));
    const pid = clusterPid();
    child.kill('SIGINT');
    expect(await ended).toBe(1);
    expect(said).toContain('Interrupted');
    expect(isAlive(pid)).toBe(false);
    expect(existsSync(join(data(), 'service.lock'))).toBe(false);
    expect(await run(['check', 'data'], { cwd: folder })).toMatchObject({ code: 0 });
  });

  (asRoot ? test : test.skip)(
    'a folder that the postgres account cannot reach is noticed, and another taken',
    async () => {
      const closed = mkdtempSync(join(tmpdir(), 'gather-lane-closed-'));
      const before = existsSync('/var/lib/gather-lane') ? readdirSync('/var/lib/gather-lane') : [];
      const service = await start([], { cwd: closed });
      expect(service.said()).toMatch(
        /cannot pass through .*gather-lane-closed-.*, so the database is kept in \/var\/lib\/gather-lane\//,
      );
      expect((await fetch(`${service.address}/ready`)).status).toBe(200);
      await service.stop();
      rmSync(closed, { recursive: true });
      for (const name of readdirSync('/var/lib/gather-lane').filter((name) => !before.includes(name)))
        rmSync(join('/var/lib/gather-lane', name), { recursive: true });
    },
  );
});

describe('starts that are refused', () => {
  test('a taken port is named, with who holds it', async () => {
    const holder = createServer().listen(0, '127.0.0.1');
    await new Promise((resolve) => holder.once('listening', resolve));
    const { port } = holder.address() as { port: number };
    const { code, err } = await run(['start', '--demo', '--port', String(port)], { cwd: folder });
    expect(code).toBe(1);
    expect(err).toMatch(new RegExp(`Port ${port} is taken by .* \\(process ${process.pid}\\)`));
    expect(existsSync(join(data(), 'service.lock'))).toBe(false);
    holder.close();
  });

  test('the demo on any address but loopback; --fresh without --demo; a wrong configuration', async () => {
    const open = await run(['start', '--demo', '--host', '0.0.0.0'], { cwd: folder });
    expect([open.code, open.err]).toEqual([1, expect.stringContaining('listens on loopback only')]);
    expect((await run(['start', '--fresh'], { cwd: folder })).code).toBe(2);
    const wrong = await run(['start'], { cwd: folder, env: { GATHER_LANE_SERVER_PROT: '1' } });
    expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('did you mean GATHER_LANE_SERVER_PORT')]);
  });
});
