// The same service on the Node that runs this and on another one, in turn on the same database.
import { spawnSync } from 'node:child_process';
import { openData } from './data.mjs';
import { load, median, mixed } from './load.mjs';
import { processorSeconds, startService } from './service.mjs';
import { printTable } from './table.mjs';

const [ROUNDS, WARMING, SECONDS, CONNECTIONS] = [10, 3, 3, 8];
const versionOf = (node) => spawnSync(node, ['-v'], { encoding: 'utf8' }).stdout.trim().slice(1);

/** @returns pages a second on the other one as a ratio of those on this one, the least of the orders */
export async function benchNodes(size, other) {
  const data = await openData(size);
  const nodes = [process.execPath, other];
  const services = [];
  try {
    for (const node of nodes) services.push(await startService(data.address, [], {}, node));
    const viewers = Object.values(data.viewers).flat();
    const rows = [];
    for (const order of ['recent', 'score']) {
      const calls = [];
      for (const service of services) {
        const list = [];
        for (const { id } of viewers)
          list.push({ path: `/v1/feeds/following?order=${order}`, token: await service.tokenOf(id) });
        calls.push(mixed(list));
      }
      const found = nodes.map(() => ({ rates: [], micros: [] }));
      const ratios = [];
      for (let round = 0; round < ROUNDS; round++) {
        const rates = [];
        for (const i of round % 2 ? [0, 1] : [1, 0]) {
          const before = processorSeconds(services[i].pid);
          const { perSecond } = await load(services[i].address, calls[i], {
            connections: CONNECTIONS,
            seconds: SECONDS,
          });
          const used = processorSeconds(services[i].pid) - before;
          rates[i] = perSecond;
          if (round < WARMING) continue;
          found[i].rates.push(perSecond);
          found[i].micros.push((used * 1e6) / (perSecond * SECONDS));
        }
        if (round >= WARMING) ratios.push(rates[1] / rates[0]);
      }
      rows.push({ order, found, ratio: median(ratios) });
    }
    const [here, there] = nodes.map(versionOf);
    printTable(
      `First pages of all viewers, ${size} data, ${CONNECTIONS} connections, medians of ${ROUNDS - WARMING} rounds in turn`,
      ['order', `${here}, a second`, `${there}, a second`, 'times', `${here}, node µs`, `${there}, node µs`],
      rows.map(({ order, found: [a, b], ratio }) => [
        order,
        Math.round(median(a.rates)),
        Math.round(median(b.rates)),
        ratio.toFixed(2),
        Math.round(median(a.micros)),
        Math.round(median(b.micros)),
      ]),
    );
    return Math.min(...rows.map(({ ratio }) => ratio));
  } finally {
    for (const service of services) await service.stop();
    await data.close();
  }
}
