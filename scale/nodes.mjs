// A primary, a standby and a monitor of pg_auto_failover, on loopback, as the account of PostgreSQL.
import { execFileSync, spawn } from 'node:child_process';
import { chmodSync, chownSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import { needDebian } from '../scripts/steps.mjs';

const BINARIES = '/usr/lib/postgresql/15/bin';
const PORTS = { monitor: 7550, n1: 7551, n2: 7552 };
/** How quickly the monitor believes that a node is gone: of these it has 20, 30 and 30 seconds of itself, and more attempts. */
const QUICK = {
  health_check_period: '1s',
  health_check_timeout: '2s',
  health_check_max_retries: '1',
  health_check_retry_delay: '1s',
  node_considered_unhealthy_timeout: '5s',
  primary_demote_timeout: '5s',
};

/** Starts all three, and waits until what one answers has reached the other. */
export async function startNodes() {
  needDebian({
    'pg-auto-failover-cli': '/usr/bin/pg_autoctl',
    'postgresql-15-auto-failover': '/usr/share/postgresql/15/extension/pgautofailover.control',
  });
  const folder = mkdtempSync('/var/tmp/gather-lane-scale-');
  const account = accountOf('postgres');
  chmodSync(folder, 0o755);
  const home = join(folder, 'home');
  mkdirSync(home);
  chownSync(home, account.uid, account.gid);
  const as = { ...account, cwd: home, env: { PATH: `${BINARIES}:/usr/bin:/bin`, HOME: home, XDG_RUNTIME_DIR: home } };
  const running = [];
  const start = (options) => {
    const child = spawn('pg_autoctl', options, { ...as, detached: true, stdio: 'ignore' });
    running.push(child);
    return child;
  };
  const at = (name) => [
    '--pgdata',
    join(home, name),
    '--pgport',
    String(PORTS[name]),
    '--hostname',
    '127.0.0.1',
    '--auth',
    'trust',
    '--no-ssl',
  ];
  const monitor = new pg.Client({
    host: '127.0.0.1',
    port: PORTS.monitor,
    user: 'autoctl_node',
    database: 'pg_auto_failover',
  });
  const stop = async () => {
    await monitor.end().catch(() => undefined);
    for (const child of running.reverse()) {
      const gone =
        child.exitCode !== null || child.signalCode !== null
          ? null
          : new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGQUIT');
      await gone;
    }
    for (const name of Object.keys(PORTS)) killAll(join(home, name));
    rmSync(folder, { recursive: true, force: true });
  };
  try {
    start(['create', 'monitor', ...at('monitor'), '--run']);
    await until(() => ask(PORTS.monitor, 'autoctl_node', 'pg_auto_failover', 'SELECT 1'));
    const admin = new pg.Client({
      host: '127.0.0.1',
      port: PORTS.monitor,
      user: 'postgres',
      database: 'pg_auto_failover',
    });
    await admin.connect();
    for (const [name, value] of Object.entries(QUICK))
      await admin.query(`ALTER SYSTEM SET pgautofailover.${name} = '${value}'`);
    await admin.query('SELECT pg_reload_conf()');
    await admin.end();
    await monitor.connect();
    const uri = `postgres://autoctl_node@127.0.0.1:${PORTS.monitor}/pg_auto_failover?sslmode=prefer`;
    const node = (name) =>
      start([
        'create',
        'postgres',
        ...at(name),
        '--name',
        name,
        '--pg-hba-lan',
        '--monitor',
        uri,
        '--dbname',
        'gl',
        '--username',
        'gl',
        '--run',
      ]);
    const first = node('n1');
    const states = async () =>
      (
        await monitor.query(
          'SELECT nodename AS name, reportedstate AS state FROM pgautofailover.node ORDER BY nodename',
        )
      ).rows.map(({ name, state }) => `${name} ${state}`);
    await until(async () => (await states()).join() === 'n1 single');
    node('n2');
    // A base backup waits for a checkpoint.
    await until(async () => {
      await ask(PORTS.n1, 'postgres', 'postgres', 'CHECKPOINT');
      return (await states()).join() === 'n1 primary,n2 secondary';
    });
    return {
      url: `postgres://gl@127.0.0.1:${PORTS.n1},127.0.0.1:${PORTS.n2}/gl?target_session_attrs=read-write`,
      states,
      /** Kills the primary and all that watches it on its machine, as a power cut does. */
      killPrimary() {
        process.kill(-first.pid, 'SIGKILL');
        killAll(join(home, 'n1'));
      },
      stop,
    };
  } catch (error) {
    await stop();
    throw error;
  }
}

/** Kills the server of a folder and every process of it. */
function killAll(folder) {
  try {
    const [pid] = readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n');
    const children = execFileSync('ps', ['--ppid', pid, '-o', 'pid='], { encoding: 'utf8' }).trim().split(/\s+/);
    for (const each of [pid, ...children]) process.kill(Number(each), 'SIGKILL');
  } catch {
    // It is gone already.
  }
}

async function ask(port, user, database, sql) {
  const client = new pg.Client({ host: '127.0.0.1', port, user, database });
  try {
    await client.connect();
    await client.query(sql);
    return true;
  } catch {
    return false;
  } finally {
    await client.end().catch(() => undefined);
  }
}

async function until(holds) {
  const deadline = Date.now() + 120_000;
  while (!(await holds())) {
    if (Date.now() > deadline) throw new Error('The servers did not come up within two minutes.');
    await pause(200);
  }
}

function accountOf(name) {
  if (process.getuid() !== 0) return {};
  const [, , uid, gid] = readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .find((line) => line.startsWith(`${name}:`))
    .split(':');
  return { uid: Number(uid), gid: Number(gid) };
}
