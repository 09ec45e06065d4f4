import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Cluster } from '../ground/database/cluster/cluster.js';
import { probeDatabase } from '../ground/database/diagnose.js';
import { killCluster, makePair, type Pair, type Standby } from '../tests/standby.js';
import { startTestService, type Actor, type Reply, type TestService } from '../tests/test-service.js';
import { wrongIn } from '../tests/wrong-data.js';
import { createDataSource } from './data-source.js';

// A primary and a standby that waits for it, both named by the address, the standby first.

let pair: Pair;
let cluster: Cluster;
let standby: Standby;
let service: TestService;
beforeAll(async () => {
  pair = await makePair();
  ({ cluster, standby } = pair);
  // What is answered has reached the standby; set after the backup, so that the standby waits for nobody once it is the primary.
  const dataSource = createDataSource(cluster.address, { poolSize: 1 });
  await dataSource.initialize();
  await dataSource.query(`ALTER SYSTEM SET synchronous_standby_names = '*'`);
  await dataSource.query(`SELECT pg_reload_conf()`);
  await dataSource.destroy();
  service = await startTestService({ on: { ...standby.address, others: [cluster.address] } });
});
afterAll(async () => {
  await service.stop();
  await pair.stop();
});

const post = (as: Actor, body: string) => service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body } });
/** Whether a reply says that it may be asked again, or that nobody knows what came of it. */
const saysSo = ({ status, headers, json }: Reply) =>
  status === 503 && (headers.has('retry-after') || String(json.type).endsWith('outcome-unknown'));
const until = async (holds: () => boolean | Promise<boolean>) => {
  while (!(await holds())) await new Promise((resolve) => setImmediate(resolve));
};

describe('an address of several servers', () => {
  test('leads to the one that takes writes, whichever is named first', async () => {
    const ann = await service.user();
    expect((await post(ann, 'Written at the primary')).status).toBe(201);
    const [{ n }] = (await standby.ask(`SELECT count(*)::integer AS n FROM posts`)) as [{ n: number }];
    expect(n).toBe(1);
    expect(await standby.ask(`SELECT pg_is_in_recovery() AS r`)).toEqual([{ r: true }]);
  });

  test('of which none takes writes is said at the start, with what to do; a wrong password is said as such', async () => {
    const none = { ...standby.address, others: [{ host: '127.0.0.1', port: 1 }] };
    await expect(probeDatabase(none)).rejects.toThrow(/None of the servers at .*:1 can be reached and takes writes/);
    const wrong = { ...standby.address, others: [cluster.address], password: 'wrong' };
    await expect(probeDatabase(wrong)).rejects.toThrow(/refuses the password/);
  });

  test('is looked for anew where a server only lets read any more', async () => {
    const ann = await service.user();
    const admin = createDataSource(cluster.address, { poolSize: 1 });
    await admin.initialize();
    const readOnly = async (value: string) => {
      await admin.query(`BEGIN READ WRITE`).catch(() => undefined);
      await admin.query(`COMMIT`).catch(() => undefined);
      await admin.query(`ALTER SYSTEM SET default_transaction_read_only = ${value}`);
      await admin.query(`SELECT pg_reload_conf()`);
      await until(async () => {
        const [row] = await admin
          .query<{ is: string }[]>(`SHOW default_transaction_read_only`)
          .then((rows) => rows.map((each) => ({ is: Object.values(each)[0]! })));
        return row!.is === value;
      });
    };
    await readOnly('on');
    await until(async () => (await post(ann, 'Nowhere to write')).status === 503);
    const refused = await post(ann, 'Nowhere to write');
    expect([refused.status, saysSo(refused as Reply)]).toEqual([503, true]);
    await readOnly('off');
    await until(async () => (await post(ann, 'Somewhere again')).status === 201);
    await admin.destroy();
  });

  test('a primary that is killed under load: nothing that was answered is lost, and callers hear of it in order', async () => {
    const callers = await Promise.all(Array.from({ length: 8 }, () => service.user()));
    const replies: Reply<{ id: string }>[] = [];
    const made = new Map<Actor, number>(callers.map((each) => [each, 0]));
    let enough = Infinity;
    const load = callers.map(async (caller) => {
      while (made.get(caller)! < enough) {
        const reply = await post(caller, 'Before, during and after');
        replies.push(reply);
        if (reply.status === 201) made.set(caller, made.get(caller)! + 1);
      }
    });
    const answered = () => replies.filter(({ status }) => status === 201);
    await until(() => answered().length >= 80);
    killCluster(cluster);
    await until(() => replies.some(({ status }) => status === 503));
    await standby.ask(`SELECT pg_promote()`);
    // Three more of each, on the server that took over.
    enough = Math.max(...made.values()) + 3;
    await Promise.all(load);
    expect(replies.filter((reply) => reply.status !== 201 && !saysSo(reply as Reply))).toEqual([]);
    const rows = (await standby.ask(`SELECT id FROM posts`)) as { id: string }[];
    const there = new Set(rows.map(({ id }) => id));
    expect(answered().filter(({ json }) => !there.has(json.id))).toEqual([]);
    expect(await wrongIn(service.dataSource)).toEqual([]);
  });
});
