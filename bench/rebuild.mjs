// A new weighting while feeds are read: how long it takes, and what readers notice.
import { setTimeout as pause } from 'node:timers/promises';
import { openData, PAGES } from './data.mjs';
import { load, mixed } from './load.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

const SECONDS_QUIET = 10;
const CONNECTIONS = 8;

/** @returns the readers' p95 while it is built, as a ratio of the quiet one */
export async function benchRebuild(size) {
  const data = await openData(size);
  const service = await startService(data.address);
  try {
    const calls = [];
    for (const { id } of Object.values(data.viewers).flat()) {
      const token = await service.tokenOf(id);
      for (const order of ['recent', 'score']) calls.push({ path: `/v1/feeds/following?order=${order}`, token });
    }
    const list = mixed(calls);
    await load(service.address, list, { connections: CONNECTIONS, seconds: 3 });
    const { perSecond } = await load(service.address, list, { connections: CONNECTIONS, seconds: 5 });
    const rate = perSecond * 0.3;
    const quiet = await load(service.address, list, { connections: CONNECTIONS, seconds: SECONDS_QUIET, rate });
    const [now] = (await service.operator('GET', '/weightings')).items.filter(({ state }) => state === 'in-force');
    const halfLifeMs = now.halfLifeMs === 7_200_000 ? 28_800_000 : 7_200_000;
    const started = performance.now();
    const { id } = await service.operator('POST', '/weightings', { halfLifeMs });
    const done = untilBuilt(service, id).then((phases) => ({ phases, seconds: (performance.now() - started) / 1000 }));
    let during = [];
    for (let built = null; !built;) {
      during.push(await load(service.address, list, { connections: CONNECTIONS, seconds: 2, rate }));
      built = await Promise.race([done, Promise.resolve(null)]);
    }
    const { phases, seconds } = await done;
    const worst = (name) => during.map((each) => each[name]).sort((a, b) => a - b)[Math.floor(during.length / 2)];
    printTable(
      `A new weighting over ${(await data.dataSource.query(`SELECT count(*)::integer AS n FROM posts`))[0].n.toLocaleString('en-GB')} posts in ${seconds.toFixed(1)} s (${phases}), readers at ${Math.round(rate)} pages a second`,
      ['readers', 'p50 ms', 'p95 ms', 'p99 ms'],
      [
        ['before', quiet.p50.toFixed(1), quiet.p95.toFixed(1), quiet.p99.toFixed(1)],
        [
          'while it is built (median of stretches of 2 s)',
          worst('p50').toFixed(1),
          worst('p95').toFixed(1),
          worst('p99').toFixed(1),
        ],
      ],
    );
    return worst('p95') / quiet.p95;
  } finally {
    await service.stop();
    await data.close();
  }
}

/** Waits until it is in force. @returns how long each phase took */
async function untilBuilt(service, id) {
  const phases = new Map();
  for (;;) {
    const { state, progress } = await service.operator('GET', `/weightings/${id}`);
    if (state === 'in-force') break;
    if (state !== 'building') throw new Error(`weighting ${id} is ${state}`);
    phases.set(progress.phase, (phases.get(progress.phase) ?? 0) + 0.25);
    await pause(250);
  }
  return [...phases].map(([phase, seconds]) => `${phase} ${seconds.toFixed(1)} s`).join(', ');
}

export { PAGES };
