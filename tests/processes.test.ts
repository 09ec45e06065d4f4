import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { isAlive } from '../packages/server/src/ground/database/cluster/keeper.js';
import { makeDatabase, urlOf, type TestDatabase } from '../packages/server/src/tests/test-database.js';
import { poolSizeFor } from '../packages/server/src/service/processes/start-processes.js';
import { run, start, type Started } from './command.js';

// A service of two processes, started by the command.

const folder = mkdtempSync(join(tmpdir(), 'gather-lane-processes-'));
let database: TestDatabase;
let client: pg.Client;
let service: Started;
let key: string;
const serve = (environment: Record<string, string> = {}) =>
  start(['--processes', '2'], {
    cwd: folder,
    env: { GATHER_LANE_DATABASE_URL: urlOf(database.address), ...environment },
  });
beforeAll(async () => {
  database = await makeDatabase();
  client = new pg.Client(database.address);
  await client.connect();
  service = await serve({
    GATHER_LANE_RATES_CALLS_PER_MINUTE: '1000000',
    GATHER_LANE_RATES_CALLS_FROM_ADDRESS_PER_MINUTE: '1000000',
  });
  key = readFileSync(service.operatorKey, 'utf8').trim();
});
afterAll(async () => {
  await service.stop();
  await client.end();
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

/** Who is not answered for so long was on the way to a process that was killed. */
const ANSWERED_MS = 5_000;

/** A call on a connection of its own, which goes to whichever process is next. */
const call = (path: string, token?: string) =>
  new Promise<{ status: number; text: string }>((resolve, reject) => {
    const headers = token ? { authorization: `Bearer ${token}` } : {};
    request(service.address + path, { agent: false, headers, signal: AbortSignal.timeout(ANSWERED_MS) }, (reply) => {
      let text = '';
      reply
        .on('data', (chunk) => (text += String(chunk)))
        .on('end', () => resolve({ status: reply.statusCode!, text }));
    })
      .on('error', reject)
      .end();
  });
/** The processes that answer, told apart by when they were started. */
async function answering(calls = 12): Promise<Set<string>> {
  const found = new Set<string>();
  for (let n = 0; n < calls; n++) {
    const { text } = await call('/metrics?alone=true', key);
    found.add(/^process_start_time_seconds (\S+)/m.exec(text)![1]!);
  }
  return found;
}
const pids = async () =>
  (await client.query<{ pid: number }>(`SELECT pid FROM live_services ORDER BY started_at, pid`)).rows.map(
    ({ pid }) => pid,
  );
const until = async (holds: () => Promise<boolean>) => {
  while (!(await holds())) await new Promise((resolve) => setImmediate(resolve));
};

describe('a service of two processes', () => {
  test('has both of them answer on one address', async () => {
    await until(async () => (await pids()).length === 2);
    await until(async () => (await answering()).size >= 2);
    expect(await pids()).not.toContain(service.child.pid);
  });

  test('measures both of them together, and each alone', async () => {
    for (let n = 0; n < 20; n++) await call(`/v1/posts?limit=1`);
    const counted = async (query: string) => {
      const { text } = await call(`/metrics${query}`, key);
      expect(text.trimEnd().endsWith('# EOF')).toBe(true);
      const begun = /^process_start_time_seconds (\S+)/m.exec(text)?.[1];
      const n = /^http_server_request_duration_seconds_count\{[^}]*http_route="\/v1\/posts"[^}]*\} (\d+)/m.exec(text);
      return [begun, Number(n?.[1] ?? 0)] as const;
    };
    const alone = new Map<string | undefined, number>();
    await until(async () => alone.set(...(await counted('?alone=true'))).size === 2);
    const [one, other] = [...alone.values()];
    expect(one).toBeGreaterThan(0);
    expect(other).toBeGreaterThan(0);
    expect(one! + other!).toBe(20);
    expect((await counted(''))[1]).toBe(20);
  });

  test('goes on where one of them is killed, and another takes its place', async () => {
    const [first, second] = await pids();
    process.kill(second!, 'SIGKILL');
    // What was on its way to it is cut; what comes after is answered.
    await until(async () => (await call('/health').catch(() => null))?.status === 200);
    await until(async () => (await pids()).some((pid) => pid !== first && pid !== second));
    expect(service.said()).toMatch(new RegExp(`Process ${second} ended \\(SIGKILL\\); another takes its place`));
    // The one that was killed said nothing of its end.
    await client.query(`DELETE FROM live_services WHERE pid = $1`, [second]);
    expect(await pids()).toHaveLength(2);
  });

  test('is renewed one process after the other, while every call is answered', async () => {
    const before = await pids();
    let going = true;
    const kept = async () => {
      const reply = await fetch(`${service.address}/health`);
      await reply.arrayBuffer();
      return reply.status;
    };
    const found = new Map<string, number>();
    const callers = Array.from({ length: 6 }, async (_, n) => {
      while (going) {
        // Half of them keep their connections.
        const status = await (n % 2 === 0 ? call('/health').then((reply) => reply.status) : kept());
        found.set(String(status), (found.get(String(status)) ?? 0) + 1);
      }
    });
    service.child.kill('SIGUSR2');
    await until(async () => {
      const now = await pids();
      return now.length === 2 && now.every((pid) => !before.includes(pid));
    });
    going = false;
    await Promise.all(callers);
    expect([...found.keys()]).toEqual(['200']);
  });

  test('ends whole, with nothing left behind', async () => {
    const before = await pids();
    expect(await service.stop()).toBe(0);
    expect(await pids()).toEqual([]);
    for (const pid of before) expect(() => process.kill(pid, 0)).toThrow('ESRCH');
  });

  test('ends where the process that keeps the others is killed', async () => {
    service = await serve();
    await until(async () => (await pids()).length === 2);
    const before = await pids();
    service.child.kill('SIGKILL');
    await service.ended;
    await until(async () => !before.some(isAlive));
    await client.query(`DELETE FROM live_services`);
    // Calls of a minute count on, whatever was started anew meanwhile.
    await client.query(`DELETE FROM call_counts`);
    service = await serve({ GATHER_LANE_RATES_CALLS_PER_MINUTE: '40' });
  });

  test('counts calls over both', async () => {
    const send = async (path: string, body: object) =>
      (
        await fetch(service.address + path, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify(body),
        })
      ).json() as Promise<{ accessToken: string }>;
    const account = { handle: 'counted', email: 'counted@gather.example', password: 'one-by-one-by-one' };
    await send('/v1/users', { ...account, name: 'Counted' });
    const { accessToken } = await send('/v1/sessions', { login: account.handle, password: account.password });
    const statuses = [];
    for (let n = 0; n < 60; n++) statuses.push((await call('/v1/me', accessToken)).status);
    expect(statuses.filter((status) => status === 200)).toHaveLength(40);
  });

  test('is refused with a demo, and says who has the port', async () => {
    const env = { GATHER_LANE_DATABASE_URL: urlOf(database.address) };
    const demo = await run(['start', '--demo', '--processes', '2'], { cwd: folder, env });
    expect([demo.code, demo.err]).toEqual([1, expect.stringContaining('leave out --processes or --demo')]);
    const elsewhere = mkdtempSync(join(folder, 'elsewhere-'));
    const port = new URL(service.address).port;
    const taken = await run(['start', '--processes', '2', '--port', port], { cwd: elsewhere, env });
    expect([taken.code, taken.err]).toEqual([1, expect.stringContaining(`Port ${port} is taken`)]);
  });
});

test('all processes together keep within the connections of the server', () => {
  expect(poolSizeFor(12, 2, 120)).toBe(12);
  for (const [processes, max] of [
    [4, 120],
    [8, 200],
    [16, 300],
  ] as const)
    expect(processes * (2 * poolSizeFor(12, processes, max) + 6) + 15).toBeLessThanOrEqual(max);
  expect(poolSizeFor(12, 64, 100)).toBe(2);
});
