// What it costs to write down what calls do, as ratios: a service that does and one that does not, in turn on the same database.
import { openData } from './data.mjs';
import { load, median, mixed } from './load.mjs';
import { processorSeconds, startService } from './service.mjs';
import { printTable } from './table.mjs';

const ROUNDS = 22;
/** The first ones warm what is cached, and have plans asked for. */
const WARMING = 2;
const SECONDS = 1.5;
const CONNECTIONS = 8;

/** @returns calls a second with traces, of those without: the least over the kinds of calls */
export async function benchTraces(size) {
  const data = await openData(size);
  const services = [];
  try {
    for (const more of [{}, { traces: { on: true } }]) services.push(await startService(data.address, [], more));
    const posts = await data.dataSource.query(
      `SELECT id FROM posts WHERE deleted_at IS NULL ORDER BY created_at DESC LIMIT 500`,
    );
    const calls = [];
    for (const service of services) calls.push(await callsOf(service, data.viewers, posts));
    const rows = [];
    for (const kind of Object.keys(calls[0])) {
      const [ratios, node, rates] = [[], [], [[], []]];
      for (let round = 0; round < ROUNDS; round++) {
        const found = [];
        for (const i of round % 2 ? [0, 1] : [1, 0]) {
          const before = processorSeconds(services[i].pid);
          const { perSecond } = await load(services[i].address, calls[i][kind], {
            connections: CONNECTIONS,
            seconds: SECONDS,
          });
          found[i] = { perSecond, processor: (processorSeconds(services[i].pid) - before) / perSecond };
        }
        if (round < WARMING) continue;
        ratios.push(found[1].perSecond / found[0].perSecond);
        node.push(found[1].processor / found[0].processor);
        found.forEach(({ perSecond }, i) => rates[i].push(perSecond));
      }
      rows.push({ kind, off: median(rates[0]), on: median(rates[1]), ratio: median(ratios), node: median(node) });
    }
    printTable(
      'Calls a second, 8 connections, medians of twenty rounds in turn',
      ['calls', 'off', 'on', 'on / off', 'processor time of node, on / off'],
      rows.map(({ kind, off, on, ratio, node }) => [
        kind,
        Math.round(off),
        Math.round(on),
        ratio.toFixed(3),
        node.toFixed(3),
      ]),
    );
    return { on: Math.min(...rows.map(({ ratio }) => ratio)) };
  } finally {
    for (const service of services) await service.stop();
    await data.close();
  }
}

async function callsOf(service, viewers, posts) {
  const people = Object.values(viewers).flat();
  const tokens = [];
  for (const { id } of people) tokens.push(await service.tokenOf(id));
  const each = (make) =>
    mixed(tokens.flatMap((token, i) => Array.from({ length: 10 }, (_, n) => make(token, i * 10 + n))));
  return {
    'a page of a feed': each((token) => ({ path: '/v1/feeds/following', token })),
    'one post': each((token, i) => ({ path: `/v1/posts/${posts[i % posts.length].id}`, token })),
    'a reaction': each((token, i) => ({
      method: 'PUT',
      path: `/v1/posts/${posts[(i * 17) % posts.length].id}/reaction`,
      token,
      body: { kind: i % 2 ? 'like' : 'dislike' },
    })),
    'a post': each((token, i) => ({
      method: 'POST',
      path: '/v1/posts',
      token,
      body: { body: `Measured ${i}. #moorings` },
    })),
  };
}
