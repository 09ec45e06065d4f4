// What it takes to start: processor time of commands, and how long a service takes on data that is there until it serves.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

/** The least of so many lots of so many: what else the machine does adds, and never takes away. */
const [LOTS, COMMANDS] = [5, 5];
const STARTS = 5;

/** Seconds of processor time of the processes that this one has started and seen end. */
function endedSeconds() {
  const stat = readFileSync('/proc/self/stat', 'utf8');
  const [user, system] = stat
    .slice(stat.lastIndexOf(')') + 2)
    .split(' ')
    .slice(13, 15)
    .map(Number);
  return (user + system) / 100;
}

/** @returns milliseconds of processor time of commands, and seconds until a service is ready */
export async function benchStart(size) {
  const data = await openData(size);
  const home = mkdtempSync(join(tmpdir(), 'gather-lane-bench-'));
  const session = join(home, 'session.json');
  const node = process.env.BENCH_NODE ?? process.execPath;
  const services = [];
  try {
    const seconds = [];
    for (let i = 0; i < STARTS; i++) {
      const started = performance.now();
      const service = await startService(data.address);
      const { status } = await fetch(`${service.address}/ready`);
      if (status !== 200) throw new Error(`the service says ${status} of itself`);
      seconds.push((performance.now() - started) / 1000);
      services.push(service);
      if (i < STARTS - 1) await services.pop().stop();
    }
    const [service] = services;
    const run = (...words) => {
      const { status, stderr } = spawnSync(node, [join(root, 'packages/cli/bin/gather-lane.js'), ...words], {
        env: { ...process.env, GATHER_LANE_SESSION_FILE: session, GATHER_LANE_ADDRESS: service.address, NO_COLOR: '1' },
        encoding: 'utf8',
      });
      if (status !== 0) throw new Error(`gather-lane ${words.join(' ')}: ${stderr}`);
    };
    const [{ id, handle }] = data.viewers.random;
    const signedIn = { accessToken: await service.tokenOf(id), refreshToken: null, handle };
    writeFileSync(session, JSON.stringify({ [service.address]: { session: signedIn } }));
    const milliseconds = (...words) => {
      run(...words);
      const lots = Array.from({ length: LOTS }, () => {
        const before = endedSeconds();
        for (let i = 0; i < COMMANDS; i++) run(...words);
        return ((endedSeconds() - before) * 1000) / COMMANDS;
      });
      return Math.min(...lots);
    };
    const [version, feed] = [milliseconds('--version'), milliseconds('feed')];
    const ready = seconds.sort((a, b) => a - b)[Math.floor(STARTS / 2)];
    printTable(
      `Starting, ${size} data, Node ${spawnSync(node, ['-v'], { encoding: 'utf8' }).stdout.trim().slice(1)}`,
      ['what', 'figure'],
      [
        ['gather-lane --version, ms of processor time', version.toFixed(0)],
        ['gather-lane feed, ms of processor time', feed.toFixed(0)],
        ['the service, seconds until it serves', ready.toFixed(2)],
      ],
    );
    return { versionMs: version, feedMs: feed, readySeconds: ready };
  } finally {
    for (const service of services) await service.stop();
    await data.close();
    rmSync(home, { recursive: true, force: true });
  }
}
