// Pages read at a standby: what the primary is spared, and what it costs a write to say how far it reaches. Two services on one database in
// turn, one that knows of the standby and one that does not.
import { openData } from '../bench/data.mjs';
import { load, median, mixed } from '../bench/load.mjs';
import { postgresSeconds, processorSeconds, startService } from '../bench/service.mjs';
import { printTable } from '../bench/table.mjs';
import { startStandby } from './standby.mjs';

const ROUNDS = 9;
const WARMING = 2;
const SECONDS = 2;
/** What is promised: a write that says how far it reaches, of one that does not. */
const LEAST_OF_WRITES = 0.95;

/** @returns whether the promise was held */
export async function replicas(size = 'small') {
  const data = await openData(size);
  const standby = await startStandby(data.address);
  const { host, user, password, database } = data.address;
  const url = `postgres://${user}:${encodeURIComponent(password)}@${host}:${standby.address.port}/${database}`;
  const services = [];
  try {
    for (const database of [{}, { standbys: [url] }]) services.push(await startService(data.address, [], { database }));
    const tokens = await Promise.all(
      services.map((service) =>
        Promise.all(
          Object.values(data.viewers)
            .flat()
            .map(({ id }) => service.tokenOf(id)),
        ),
      ),
    );
    const posts = await data.dataSource.query(`SELECT id FROM posts ORDER BY created_at DESC LIMIT 500`);
    const reactions = (all) => all.flatMap((token, i) => reactionsOf(token, i, posts));
    const written = (all) =>
      all.map((token) => ({ method: 'POST', path: '/v1/posts', token, body: { body: 'Measured. #moorings' } }));
    const kinds = {
      'pages, 8 callers': {
        connections: 8,
        calls: (all) =>
          all.flatMap((token) =>
            ['recent', 'score'].map((order) => ({
              path: `/v1/feeds/following?order=${order}`,
              token,
              headers: { 'gather-seen': '0/0' },
            })),
          ),
      },
      'a reaction, one caller': { connections: 1, calls: reactions },
      'a reaction, 32 callers': { connections: 32, calls: reactions },
      'a post, one caller': { connections: 1, calls: written },
      'a post, 32 callers': { connections: 32, calls: written },
    };
    const rows = [];
    let worst = Infinity;
    for (const [kind, { connections, calls }] of Object.entries(kinds)) {
      const found = [[], []];
      for (let round = 0; round < ROUNDS + WARMING; round++)
        for (const i of round % 2 ? [0, 1] : [1, 0]) {
          const list = mixed(calls(tokens[i]));
          const spent = () =>
            [services[i].pid]
              .map(processorSeconds)
              .concat(postgresSeconds(data.address), postgresSeconds(standby.address));
          const before = spent();
          const { perSecond } = await load(services[i].address, list, { connections, seconds: SECONDS });
          const ms = spent().map((after, n) => ((after - before[n]) / (perSecond * SECONDS)) * 1000);
          if (round >= WARMING) found[i].push({ perSecond, ms });
        }
      const ratio = median(found[1].map(({ perSecond }, i) => perSecond / found[0][i].perSecond));
      if (!kind.startsWith('pages')) worst = Math.min(worst, ratio);
      found.forEach((rounds, i) => {
        const of = (n) => median(rounds.map(({ ms }) => ms[n])).toFixed(2);
        const rate = Math.round(median(rounds.map(({ perSecond }) => perSecond)));
        rows.push([kind, i === 0 ? 'none' : 'one', rate, i === 0 ? '' : ratio.toFixed(2), of(0), of(1), of(2)]);
      });
    }
    printTable(
      `Two services in turn, medians of ${ROUNDS} rounds; milliseconds of processor time for each call`,
      ['calls', 'standbys', 'a second', 'ratio', 'service', 'primary', 'standby'],
      rows,
    );
    const held = worst >= LEAST_OF_WRITES;
    console.log(
      `\nA write that says how far it reaches: ${worst.toFixed(2)}, to be at least ${LEAST_OF_WRITES}: ${held ? 'held' : 'NOT held'}`,
    );
    return held;
  } finally {
    for (const service of services) await service.stop();
    await standby.stop();
    await data.close();
  }
}

const reactionsOf = (token, i, posts) =>
  Array.from({ length: 10 }, (_, n) => ({
    method: 'PUT',
    path: `/v1/posts/${posts[((i * 10 + n) * 17) % posts.length].id}/reaction`,
    token,
    body: { kind: n % 2 ? 'like' : 'dislike' },
  }));
