// A thousand open streams: what each takes in the service, and how long what happens takes to reach all of those whom it concerns, while others write.
import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { load, percentiles } from './load.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

const STREAMS = 1_000;
const READERS = 20;
const ACTS = 40;
const SETTLES_MS = 2_500;

/** @returns kilobytes of the service for each stream, and milliseconds at the median from the reply of an act to the last reader of it */
export async function benchStreams(size) {
  const data = await openData(size);
  const limits = { live: { streamsPerUser: STREAMS, streamsPerProcess: 2 * STREAMS } };
  const service = await startService(
    data.address,
    ['--expose-gc', '--import', join(root, 'bench/watch-memory.mjs')],
    limits,
  );
  const open = [];
  try {
    const ids = (
      await data.dataSource.query(
        `SELECT id FROM users WHERE handle NOT LIKE 'bench%' ORDER BY id LIMIT ${READERS + 60}`,
      )
    ).map(({ id }) => id);
    const readers = await Promise.all(
      ids.slice(0, READERS).map(async (id) => ({ id, token: await service.tokenOf(id) })),
    );
    const actors = await Promise.all(ids.slice(READERS).map((id) => service.tokenOf(id)));
    const posts = await Promise.all(
      readers.map(
        async ({ token }) => (await service.as(token)('POST', '/v1/posts', { body: 'Written for the benchmark.' })).id,
      ),
    );
    const resident = () => (Number(readFileSync(`/proc/${service.pid}/statm`, 'utf8').split(' ')[1]) * 4096) / 1024;
    const held = () => JSON.parse(readFileSync(join(service.folder, 'memory.json'), 'utf8')).kilobytes;
    const settled = () => pause(SETTLES_MS);
    // Warm: code is compiled, and the pools are full.
    await load(
      service.address,
      readers.map(({ token }) => ({ path: '/v1/notifications', token })),
      { connections: 16, seconds: 3 },
    );
    for (let i = 0; i < 50; i++) await listen(service.address, readers[i % READERS], open);
    await settled();
    const before = { resident: resident(), held: held() };
    const first = open.length;
    for (let i = first; i < STREAMS + first; i++) await listen(service.address, readers[i % READERS], open);
    await settled();
    const kilobytes = (held() - before.held) / STREAMS;
    const residentEach = (resident() - before.resident) / STREAMS;

    const writing = { on: true };
    const others = write(service, actors.slice(ACTS), posts.slice(0, 1), data, writing);
    const delays = [];
    for (let i = 0; i < ACTS; i++) {
      const reader = i % READERS;
      const own = open.filter(({ id }) => id === readers[reader].id);
      const heard = own.map((stream) => stream.next('notification'));
      await service.as(actors[i])('PUT', `/v1/posts/${posts[reader]}/reaction`, { kind: 'like' });
      const done = performance.now();
      delays.push(Math.max(...(await Promise.all(heard))) - done);
    }
    writing.on = false;
    const { perSecond } = await others;
    const { p50, p95 } = percentiles(delays);
    printTable(
      `${STREAMS.toLocaleString('en-GB')} open streams of ${READERS} users`,
      [
        'held of each in the service, kB',
        'resident, kB',
        'an event reaches all of its user’s, p50 ms',
        'p95 ms',
        'beside writes a second',
      ],
      [[kilobytes.toFixed(1), residentEach.toFixed(1), p50.toFixed(0), p95.toFixed(0), perSecond.toFixed(0)]],
    );
    return { kilobytes, delayMs: p50 };
  } finally {
    for (const stream of open) stream.end();
    await service.stop();
    await data.close();
  }
}

/** Others comment on what nobody listens to, one after another each. */
async function write(service, tokens, posts, { dataSource }, writing) {
  const [{ id }] = await dataSource.query(
    `SELECT id FROM posts WHERE deleted_at IS NULL AND id <> ALL ($1) ORDER BY created_at LIMIT 1`,
    [posts],
  );
  const begun = performance.now();
  let done = 0;
  await Promise.all(
    tokens.slice(0, 8).map(async (token) => {
      for (; writing.on; done++)
        await service.as(token)('POST', `/v1/posts/${id}/comments`, { body: 'Said in passing.' });
    }),
  );
  return { perSecond: (done * 1000) / (performance.now() - begun) };
}

/** Opens a stream, and waits until it has said how things stand. */
function listen(address, { id, token }, open) {
  return new Promise((resolve, reject) => {
    const waiting = [];
    const call = request(
      `${address}/v1/events`,
      { headers: { authorization: `Bearer ${token}` }, agent: false },
      (reply) => {
        let isNew = true;
        reply.setEncoding('utf8');
        reply.on('data', (text) => {
          if (isNew) {
            isNew = false;
            open.push({
              id,
              end: () => call.destroy(),
              next: (event) => new Promise((heard) => waiting.push([event, heard])),
            });
            resolve();
          }
          for (const [event, heard] of [...waiting])
            if (text.includes(`event: ${event}\n`)) {
              waiting.splice(
                waiting.findIndex((each) => each[1] === heard),
                1,
              );
              heard(performance.now());
            }
        });
      },
    );
    call.on('error', reject);
    call.end();
  });
}
