// Reading the following feed over HTTP, against other ways in the same run: naive, careful, bare, and pgbench.
import { setTimeout as pause } from 'node:timers/promises';
import { fork } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { openData, PAGES } from './data.mjs';
import { load, median, mixed } from './load.mjs';
import { againstPgbench } from './pgbench.mjs';
import { postgresSeconds, processorSeconds, startService, urlOf } from './service.mjs';
import { printTable } from './table.mjs';

const ORDERS = ['recent', 'score'];
const CONNECTIONS = 8;
/** Each way is measured so often in turn, and the median taken: a machine that is held up for a second spoils one round. */
const ROUNDS = 5;
const SECONDS = 1;
const NAIVE_SECONDS = 1.5;
/** The careful way and page 40 are held to their bound in each row, the others in the geometric mean. */
const BOUNDS = { naive: 25, careful: 2, bare: 0.8, pgbench: 0.5, page40: 1.2 };
const IN_EACH = { careful: Math.min, page40: Math.max };

/** @returns the ratios by name */
export async function benchRead(size) {
  const data = await openData(size);
  const service = await startService(data.address);
  const rivals = await startRivals(data.address, service.folder);
  const writing = lightWriting(data, service);
  try {
    const calls = await prepareCalls(data.viewers, service);
    const { ratios, cells } = await compare(calls, service, rivals);
    mkdirSync(join(root, '.bench'), { recursive: true });
    writeFileSync(join(root, '.bench', `read-${size}.json`), JSON.stringify(cells));
    await latencies(calls, service, data, writing);
    const first = calls.filter(({ group, page }) => group === 'random' && page === 1);
    ratios.pgbench = await againstPgbench(
      data,
      async () => (await measure(service.address, first, 'ours', { seconds: 4 })).perSecond,
    );
    return ratios;
  } finally {
    await writing.stop();
    rivals.child.kill('SIGTERM');
    await service.stop();
    await data.close();
  }
}

async function startRivals(database, folder) {
  const child = fork(join(root, 'bench/rivals.mjs'), [folder, urlOf(database)], {
    env: { ...process.env, GATHER_LANE_RATES_CALLS_PER_MINUTE: '100000000' },
  });
  const addresses = await new Promise((resolve, reject) => {
    child.once('message', resolve);
    child.once('exit', (code) => reject(new Error(`the rivals ended with ${code}`)));
  });
  child.removeAllListeners('exit');
  return { child, ...addresses };
}

/** A few posts, comments and reactions a second: what a feed is read beside. */
function lightWriting({ dataSource, viewers }, service) {
  let [ended, done] = [false, Promise.resolve()];
  const write = async () => {
    const [{ id }] = viewers.random;
    const api = service.as(await service.tokenOf(id));
    const posts = await dataSource.query(
      `SELECT id FROM posts WHERE deleted_at IS NULL ORDER BY created_at DESC LIMIT 200`,
    );
    for (let i = 0; !ended; i++) {
      const post = posts[(i * 37) % posts.length].id;
      if (i % 20 === 0) await api('POST', '/v1/posts', { body: 'Written while others read.' });
      else if (i % 5 === 0) await api('POST', `/v1/posts/${post}/comments`, { body: 'And so said I.' });
      else await api('PUT', `/v1/posts/${post}/reaction`, { kind: i % 7 === 0 ? 'dislike' : 'like' });
      await pause(50);
    }
  };
  done = write();
  return {
    stop: async () => {
      ended = true;
      await done;
    },
  };
}

/** For each group, order and page what each way has to be asked: cursors are read once, beforehand. */
async function prepareCalls(viewers, service) {
  const calls = [];
  for (const [group, members] of Object.entries(viewers))
    for (const { id } of members) {
      const token = await service.tokenOf(id);
      const api = service.as(token);
      for (const order of ORDERS) {
        let [next, last] = [null, null];
        for (let page = 1; page <= PAGES.at(-1); page++) {
          const path = `/v1/feeds/following?order=${order}${next ? `&after=${next}` : ''}`;
          if (PAGES.includes(page)) {
            const at = last
              ? `&at=${encodeURIComponent(order === 'recent' ? last.createdAt : last.laneTime)}&id=${last.id}`
              : '';
            calls.push({
              group,
              order,
              page,
              token,
              ours: path,
              naive: `/v1/bench/naive?order=${order}&page=${page}`,
              careful: `/v1/bench/careful?order=${order}${at}`,
              bare: `/feed?order=${order}${at}`,
            });
          }
          const read = await api('GET', path);
          next = read.next;
          last = read.items.at(-1);
          if (!next) break;
        }
      }
    }
  return calls;
}

async function measure(address, calls, way, options) {
  const list = mixed(calls.map(({ token, [way]: path }) => ({ path, token })));
  return load(address, list, { connections: CONNECTIONS, seconds: SECONDS, ...options });
}

async function compare(calls, service, rivals) {
  const addresses = { ours: service.address, naive: rivals.stack, careful: rivals.stack, bare: rivals.plain };
  // Warm: every plan made, every page in memory.
  for (const way of ['ours', 'careful', 'bare']) await measure(addresses[way], calls, way, { seconds: 4 });
  const groups = [...new Set(calls.map(({ group }) => group))];
  const [rows, cells, ratios] = [[], [], { naive: [], careful: [], bare: [], page40: [] }];
  for (const group of groups)
    for (const order of ORDERS) {
      const asked = Object.fromEntries(
        PAGES.map((page) => [
          page,
          calls.filter((call) => call.group === group && call.order === order && call.page === page),
        ]).filter(([, cell]) => cell.length > 0),
      );
      const rounds = await inTurn(asked, ['ours', 'careful', 'bare', 'naive'], (cell, way) =>
        measure(addresses[way], cell, way, { seconds: way === 'naive' ? NAIVE_SECONDS : SECONDS }),
      );
      // Of each round by itself: what held the machine up for a second is in one of them.
      const middle = (of) => median(rounds.map(of));
      for (const page of Object.keys(asked)) {
        const rate = (way) => middle((round) => round[page][way].perSecond);
        cells.push({
          group,
          order,
          page: Number(page),
          ...Object.fromEntries(Object.keys(addresses).map((way) => [way, rate(way)])),
        });
        const times = ['naive', 'careful', 'bare'].map((way) =>
          middle((round) => round[page].ours.perSecond / round[page][way].perSecond),
        );
        for (const [n, way] of ['naive', 'careful', 'bare'].entries()) ratios[way].push(times[n]);
        rows.push([
          `${group}, ${order}, page ${page}`,
          Math.round(rate('ours')),
          ...['p50', 'p99'].map((name) => middle((round) => round[page].ours[name]).toFixed(1)),
          ...times.map((each) => each.toFixed(2)),
        ]);
      }
      if (asked[40]) ratios.page40.push(middle((round) => round[1].ours.perSecond / round[40].ours.perSecond));
    }
  printTable(
    `Pages a second over HTTP, ${CONNECTIONS} connections, under a light write load, and how many times as many as the others`,
    ['follows, order, page', 'pages/s', 'p50 ms', 'p99 ms', '× naive', '× careful', '× bare'],
    rows,
  );
  const mean = (list) => Math.exp(list.reduce((sum, x) => sum + Math.log(x), 0) / list.length);
  printTable(
    'Ratios',
    ['against', 'geometric mean', 'worst', 'to be'],
    Object.entries(ratios).map(([name, list]) => [
      name === 'page40' ? 'page 40 in the time of page 1' : name,
      mean(list).toFixed(2),
      (name === 'page40' ? Math.max(...list) : Math.min(...list)).toFixed(2),
      `${name === 'page40' ? 'at most' : 'at least'} ${BOUNDS[name]}`,
    ]),
  );
  const held = Object.entries(ratios).map(([name, list]) => [
    name,
    IN_EACH[name] ? IN_EACH[name](...list) : mean(list),
  ]);
  return { ratios: Object.fromEntries(held), cells };
}

/** @returns for each round what each way gave for each page: all within some seconds, so that they can be compared */
async function inTurn(asked, ways, measured) {
  const rounds = [];
  for (let round = 0; round < ROUNDS; round++) {
    const found = {};
    for (const [page, cell] of Object.entries(asked)) {
      found[page] = {};
      for (const way of ways) found[page][way] = await measured(cell, way);
    }
    rounds.push(found);
  }
  return rounds;
}

/**
 * One, eight and 32 connections, latencies at 30 % of what was reached, and the processor time of a page: first while others
 * write, then quiet.
 */
async function latencies(calls, service, { address }, writing) {
  const rows = [];
  const random = calls.filter(({ group }) => group === 'random');
  const line = async (name, options) => {
    const [node, postgres] = [processorSeconds(service.pid), postgresSeconds(address)];
    const found = await measure(service.address, random, 'ours', options);
    const each = (seconds) => ((1_000_000 * seconds) / (found.perSecond * options.seconds)).toFixed(0);
    rows.push([
      name,
      Math.round(found.perSecond),
      found.p50.toFixed(1),
      found.p99.toFixed(1),
      each(processorSeconds(service.pid) - node),
      each(postgresSeconds(address) - postgres),
    ]);
    return found.perSecond;
  };
  for (const how of ['while others write', 'quiet']) {
    if (how === 'quiet') await writing.stop();
    let capacity = 0;
    for (const connections of [1, 8, 32])
      capacity = Math.max(capacity, await line(`${connections} connections, ${how}`, { connections, seconds: 5 }));
    const rate = capacity * 0.3;
    await line(`at ${Math.round(rate)} a second, ${how}`, { connections: 16, seconds: 8, rate });
  }
  printTable(
    'Random viewers, both orders, pages 1, 10 and 40',
    ['load', 'pages/s', 'p50 ms', 'p99 ms', 'node µs/page', 'PostgreSQL µs/page'],
    rows,
  );
}
