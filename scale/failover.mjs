// A primary that is killed while people write, with a standby that waits for it: what is lost, for how long nobody writes, and what callers
// hear. The service runs unchanged through it, with both servers in its address.
import { setTimeout as pause } from 'node:timers/promises';
import { checkData, createDataSource, PLAN } from '../packages/server/dist/index.js';
import { ownServer } from '../packages/server/dist/ground/database/address.js';
import { startService } from '../bench/service.mjs';
import { printTable } from '../bench/table.mjs';
import { startNodes } from './nodes.mjs';

const CALLERS = 16;
const BEFORE_MS = 8_000;
const AFTER_MS = 10_000;
/** What is promised with these settings. */
const MOST_SECONDS = 20;

/** @returns whether the promise was held */
export async function failover() {
  const nodes = await startNodes();
  let service;
  try {
    service = await startService({ url: nodes.url }, [], { database: { migrate: true }, log: { level: 'silent' } });
    const dataSource = createDataSource(ownServer(nodes.url, {}), { poolSize: 4 });
    await dataSource.initialize();
    await dataSource.query(
      `INSERT INTO users (id, handle, name) SELECT gen_random_uuid(), 'caller_' || i, 'Caller' FROM generate_series(1, ${CALLERS}) i`,
    );
    const users = await dataSource.query('SELECT id FROM users');
    const tokens = await Promise.all(users.map(({ id }) => service.tokenOf(id)));
    const heard = new Map();
    const made = [];
    const doneAt = [];
    let ending = false;
    const load = tokens.map(async (token) => {
      while (!ending) {
        const { status, json, again } = await post(service.address, token);
        const what =
          status === 201
            ? 'written'
            : String(json.type ?? status)
                .split('/')
                .at(-1);
        const says = status === 201 ? '' : again ? ', with Retry-After' : ', without Retry-After';
        const name = `${status} ${what}${says}`;
        heard.set(name, (heard.get(name) ?? 0) + 1);
        if (status === 201) {
          made.push(json.id);
          doneAt.push(performance.now());
        } else await pause(100);
      }
    });
    await pause(BEFORE_MS);
    nodes.killPrimary();
    const killedAt = performance.now();
    while (!doneAt.some((at) => at > killedAt + 500)) await pause(50);
    await pause(AFTER_MS);
    ending = true;
    await Promise.all(load);
    // The longest time in which nothing was written.
    const outage = Math.max(...doneAt.map((at, i) => (i === 0 ? 0 : at - doneAt[i - 1]))) / 1000;
    const there = new Set((await dataSource.query('SELECT id FROM posts')).map(({ id }) => id));
    const lost = made.filter((id) => !there.has(id)).length;
    const findings = await checkData(dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined });
    const wrong = findings.filter(({ count }) => count > 0).map(({ name, count }) => `${name}: ${count}`);
    await dataSource.destroy();
    printTable(
      `pg_auto_failover, synchronous: the primary killed while ${CALLERS} callers write`,
      ['what', 'found'],
      [
        ['acknowledged', made.length],
        ['of these lost', lost],
        ['nothing was written for, s', outage.toFixed(1)],
        ['not acknowledged and there even so', there.size - made.length + lost],
        ...[...heard].map(([name, n]) => [`callers heard ${name}`, n]),
        ['check data', wrong.length === 0 ? `${findings.length} checks, nothing wrong` : wrong.join(', ')],
        ['states at the end', (await nodes.states()).join(', ')],
      ],
    );
    const only503 = [...heard.keys()].every(
      (name) => name === '201 written' || /^503 .*(with Retry-After|outcome-unknown)/.test(name),
    );
    const held = lost === 0 && outage < MOST_SECONDS && only503 && wrong.length === 0;
    console.log(
      `\nNone lost, under ${MOST_SECONDS} s, nothing but 503, and the data is right: ${held ? 'held' : 'NOT held'}`,
    );
    return held;
  } finally {
    await service?.stop();
    await nodes.stop();
  }
}

async function post(address, token) {
  try {
    const reply = await fetch(`${address}/v1/posts`, {
      method: 'POST',
      headers: { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ body: 'Before, during and after' }),
    });
    return { status: reply.status, json: await reply.json(), again: reply.headers.has('retry-after') };
  } catch (error) {
    return { status: 0, json: { type: String(error.cause?.code ?? error) }, again: false };
  }
}
