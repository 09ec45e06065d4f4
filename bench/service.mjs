// A service in a process of its own, beside the data of the benchmarks.
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';

const CONFIGURATION = {
  server: { port: 0 },
  rates: { callsPerMinute: 100_000_000, callsFromAddressPerMinute: 100_000_000 },
  sessions: { actingAs: true, accessMinutes: 1_440 },
  log: { level: 'error' },
};

/** The Node that runs services, unless another is named. */
const NODE = process.env.BENCH_NODE ?? process.execPath;

/** An address as the service is given it: the folder of a Unix socket is escaped as its host. */
export const urlOf = ({ host, port, user, password, database }) =>
  `postgres://${user}:${encodeURIComponent(password)}@${encodeURIComponent(host)}:${port}/${database}`;

/** Starts the service on a database. @returns its address, its process id, and how to act as a user */
export async function startService(
  { host, port, user, password, database, url = urlOf({ host, port, user, password, database }) },
  nodeOptions = [],
  more = {},
  node = NODE,
) {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-bench-'));
  writeFileSync(join(folder, 'gather-lane.yaml'), JSON.stringify({ ...CONFIGURATION, ...more }));
  const child = spawn(node, [...nodeOptions, join(root, 'packages/cli/bundle/main.js'), 'start'], {
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

/** Processor time of the cluster: its first process, those that it has seen end, and those that it has now. */
export function postgresSeconds({ port }) {
  const read = (pid, file) => {
    try {
      return readFileSync(`/proc/${pid}/${file}`, 'utf8');
    } catch {
      return '';
    }
  };
  const fieldsOf = (stat) => stat.slice(stat.lastIndexOf(')') + 2).split(' ');
  const processes = readdirSync('/proc').filter((name) => /^\d+$/.test(name));
  const first = processes.find((pid) => {
    const [program, ...rest] = read(pid, 'cmdline').split('\0');
    return /\/postgres$/.test(program) && rest.includes(`port=${port}`);
  });
  const ticks = processes.map((pid) => {
    const stat = read(pid, 'stat');
    if (!stat) return 0;
    const [, parent, ...rest] = fieldsOf(stat);
    const [user, system, endedUser, endedSystem] = rest.slice(9, 13).map(Number);
    if (pid === first) return user + system + endedUser + endedSystem;
    return parent === first ? user + system : 0;
  });
  return ticks.reduce((sum, n) => sum + n, 0) / 100;
}
