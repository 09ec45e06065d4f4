// What a change made of it: this state against one of before (a checkout that is built, in a folder of its own), in turn on the same data.
import { writeFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { join } from 'node:path';
import { createDataSource } from '../packages/server/dist/index.js';
import { openData, PAGES } from './data.mjs';
import { load, median, mixed } from './load.mjs';
import { root } from '../scripts/steps.mjs';
import { postgresSeconds, processorSeconds, startService } from './service.mjs';
import { printTable } from './table.mjs';
import { acts, drive, pick } from './write.mjs';

const ROUNDS = 7;
const CONNECTIONS = 8;
const SECONDS = 1;
const WRITE_ROUNDS = 5;
const WRITES = [
  ['comments', [1, 32, 128]],
  ['posts', [1, 32, 128]],
  ['follows', [1, 32, 128]],
  ['reactions on random posts, combined', [1]],
];

/** How states reached the cluster that started it without a Unix socket. */
const onLoopback = (address) => ({ ...address, host: '127.0.0.1' });

const mean = (list) => Math.exp(list.reduce((sum, x) => sum + Math.log(x), 0) / list.length);

/** Pages of feeds over HTTP. @returns how many times as many pages, and how much processor time for each, of that before */
export async function benchReadBefore(size, folder) {
  const { startService: startBefore } = await import(pathToFileURL(join(folder, 'bench/service.mjs')));
  const data = await openData(size);
  const services = [await startBefore(onLoopback(data.address)), await startService(data.address)];
  try {
    const calls = [];
    for (const service of services) calls.push(await callsOf(service, data.viewers));
    const [rows, ratios, drawn] = [[], { pages: [], node: [], postgres: [] }, []];
    for (const cell of Object.keys(calls[0])) {
      const found = [[], []];
      for (let round = 0; round <= ROUNDS; round++)
        for (const i of round % 2 ? [0, 1] : [1, 0]) {
          const seconds = round === 0 ? SECONDS / 2 : SECONDS;
          const [node, postgres] = [processorSeconds(services[i].pid), postgresSeconds(data.address)];
          const { perSecond } = await load(services[i].address, mixed(calls[i][cell]), {
            connections: CONNECTIONS,
            seconds,
          });
          const each = (spent) => (1_000_000 * spent) / (perSecond * seconds);
          // The first round warms.
          if (round > 0)
            found[i].push({
              perSecond,
              node: each(processorSeconds(services[i].pid) - node),
              postgres: each(postgresSeconds(data.address) - postgres),
            });
        }
      const of = (i, name) => median(found[i].map((each) => each[name]));
      const ratio = (name) => median(found[1].map((each, round) => each[name] / found[0][round][name]));
      const [pages, node, postgres] = ['perSecond', 'node', 'postgres'].map(ratio);
      if (!cell.endsWith('newer')) {
        ratios.pages.push(pages);
        ratios.node.push(node);
        ratios.postgres.push(postgres);
        drawn.push({ group: cell.split(',')[0], before: of(0, 'perSecond'), now: of(1, 'perSecond') });
      }
      rows.push([
        cell,
        ...['perSecond', 'node', 'postgres'].map((name) => `${Math.round(of(0, name))} → ${Math.round(of(1, name))}`),
        pages.toFixed(2),
        node.toFixed(2),
        postgres.toFixed(2),
      ]);
    }
    writeFileSync(join(root, '.bench', `before-${size}.json`), JSON.stringify(drawn));
    printTable(
      `Before → now, ${CONNECTIONS} connections, medians of ${ROUNDS} rounds in turn`,
      ['follows, order, page', 'a second', 'node µs', 'PostgreSQL µs', '× as many', 'node', 'PostgreSQL'],
      rows,
    );
    return {
      pages: mean(ratios.pages),
      worstPages: Math.min(...ratios.pages),
      node: mean(ratios.node),
      postgres: mean(ratios.postgres),
    };
  } finally {
    for (const service of services) await service.stop();
    await data.close();
  }
}

/** For each group, order and page what is asked, and what asks whether there is something newer. */
async function callsOf(service, viewers) {
  const cells = {};
  const put = (cell, call) => (cells[cell] ??= []).push(call);
  for (const [group, members] of Object.entries(viewers))
    for (const { id } of members) {
      const token = await service.tokenOf(id);
      for (const order of ['recent', 'score']) {
        let next = null;
        for (let page = 1; page <= PAGES.at(-1); page++) {
          const path = `/v1/feeds/following?order=${order}${next ? `&after=${next}` : ''}`;
          if (PAGES.includes(page)) put(`${group}, ${order}, page ${page}`, { path, token });
          const read = await service.as(token)('GET', path);
          if (page === 1) put(`${group}, newer`, { path: `/v1/feeds/following/newer?than=${read.first}`, token });
          next = read.next;
          if (!next) break;
        }
      }
    }
  return cells;
}

/** Acts by how many callers. @returns how many times as many of each */
export async function benchWriteBefore(size, folder) {
  const load = (path) => import(pathToFileURL(join(folder, path)));
  const [before, writesBefore] = [await load('packages/server/dist/index.js'), await load('bench/write.mjs')];
  const data = await openData(size);
  const pools = [
    before.createDataSource(onLoopback(data.address), { poolSize: 12 }),
    createDataSource(data.address, { poolSize: 12 }),
  ];
  try {
    for (const pool of pools) await pool.initialize();
    const { people, posts } = await pick(data.dataSource);
    const all = [await writesBefore.acts(pools[0], people, posts), await acts(pools[1], people, posts)];
    const wal = async () =>
      Number((await data.dataSource.query(`SELECT pg_wal_lsn_diff(pg_current_wal_lsn(), '0/0') AS at`))[0].at);
    const [rows, ratios] = [[], {}];
    for (const [act, callers] of WRITES)
      for (const n of callers) {
        const found = [[], []];
        for (let round = 0; round <= WRITE_ROUNDS; round++)
          for (const i of round % 2 ? [0, 1] : [1, 0]) {
            const from = await wal();
            const { perSecond, count } = await drive(all[i][act], n, SECONDS);
            if (round > 0) found[i].push({ perSecond, bytes: ((await wal()) - from) / Math.max(1, count) });
          }
        const of = (i, name) => Math.round(median(found[i].map((each) => each[name])));
        const ratio = median(found[1].map((each, round) => each.perSecond / found[0][round].perSecond));
        ratios[`${act.split(' ')[0]}${n}`] = ratio;
        const [rate, bytes] = ['perSecond', 'bytes'].map((name) => `${of(0, name)} → ${of(1, name)}`);
        rows.push([`${act}, ${n}`, rate, bytes, ratio.toFixed(2)]);
      }
    printTable(
      `Before → now, medians of ${WRITE_ROUNDS} rounds in turn`,
      ['act, callers', 'a second', 'WAL bytes', '× as many'],
      rows,
    );
    return ratios;
  } finally {
    for (const pool of pools) await pool.destroy();
    await data.close();
  }
}
