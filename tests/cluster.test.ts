import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
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
import { clean, COMMAND, run, start } from './command.js';

const asRoot = process.getuid?.() === 0;
let folder = '';
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-cluster-'));
  chmodSync(folder, 0o755);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const data = () => join(folder, '.gather-lane');
const clusterPid = () => Number(readFileSync(join(data(), 'pg/postmaster.pid'), 'utf8').split('\n')[0]);
const isAlive = (pid: number) => {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
};
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
    const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
    while (!existsSync(join(data(), 'pg/postmaster.pid'))) await pause(50);
    await pause(4_000);
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
    expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('Did you mean GATHER_LANE_SERVER_PORT')]);
  });
});
