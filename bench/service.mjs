// A service in a process of its own, beside the data of the benchmarks.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';

const CONFIGURATION = {
  server: { port: 0 },
  rates: { callsPerMinute: 100_000_000, callsFromAddressPerMinute: 100_000_000 },
  sessions: { actingAs: true, accessMinutes: 1_440 },
  log: { level: 'error' },
};

/** Starts the service on a database. @returns its address, its process id, and how to act as a user */
export async function startService({ host, port, user, password, database }, nodeOptions = [], more = {}) {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-bench-'));
  writeFileSync(join(folder, 'gather-lane.yaml'), JSON.stringify({ ...CONFIGURATION, ...more }));
  const url = `postgres://${user}:${encodeURIComponent(password)}@${host}:${port}/${database}`;
  const child = spawn(process.execPath, [...nodeOptions, join(root, 'packages/cli/bundle/main.js'), 'start'], {
    cwd: folder,
    env: { ...process.env, GATHER_LANE_DATABASE_URL: url, NO_COLOR: '1' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const address = await new Promise((resolve, reject) => {
    let said = '';
    child.stdout.on('data', (text) => {
      said += text;
      const found = /Console\s+(http:\/\/\S+)/.exec(said)?.[1];
      if (found) resolve(found);
    });
    child.once('exit', (code) => reject(new Error(`the service ended with ${code}: ${said}`)));
  });
  const key = readFileSync(join(folder, '.gather-lane', 'operator.key'), 'utf8').trim();
  const call = async (method, path, token, body) => {
    const reply = await fetch(address + path, {
      method,
      headers: { authorization: `Bearer ${token}`, ...(body && { 'content-type': 'application/json' }) },
      ...(body && { body: JSON.stringify(body) }),
    });
    if (!reply.ok) throw new Error(`${method} ${path}: ${reply.status} ${await reply.text()}`);
    return reply.status === 204 ? null : reply.json();
  };
  return {
    address,
    folder,
    pid: child.pid,
    operator: (method, path, body) => call(method, `/v1/operator${path}`, key, body),
    as: (token) => (method, path, body) => call(method, path, token, body),
    tokenOf: async (id) => (await call('POST', '/v1/operator/sessions', key, { user: id })).accessToken,
    async stop() {
      child.removeAllListeners('exit');
      const gone = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      await gone;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Seconds of processor time that a process has used. */
export function processorSeconds(pid) {
  const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
  const [user, system] = stat
    .slice(stat.lastIndexOf(')') + 2)
    .split(' ')
    .slice(11, 13)
    .map(Number);
  return (user + system) / 100;
}
