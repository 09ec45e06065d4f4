import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { addFollows, addPosts, addUsers, plainFeed, scroll } from '../../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { createMappedDataSource, NO_LIMITS } from '../database/data-source.js';
import { OutcomeUnknown } from '../database/gone.js';
import { prepared } from '../database/prepared.js';
import { together } from '../database/together.js';
import { inHotTransaction } from '../database/hot-transaction.js';
import { PlanFunctions } from './plan-functions.js';
import { requireSettings } from './settings.js';

// As behind a pooler: nothing is prepared by name, and nothing is asked for at the start of a connection.

let service: TestService;
let viewer: Actor;
beforeAll(async () => {
  service = await startTestService({ pooled: true });
  viewer = await service.user();
});
afterAll(() => service.stop());

const functions = async () =>
  (
    await service.dataSource.query<{ name: string }[]>(
      `SELECT proname AS name FROM pg_proc WHERE pronamespace = to_regnamespace('gather_lane_plans') ORDER BY 1`,
    )
  ).map(({ name }) => name);

describe('statements that matter', () => {
  test('are run by functions once they were answered, and yield the same', async () => {
    const writers = await addUsers(service, 6, 'writer');
    await addFollows(service, viewer.id, writers);
    await addPosts(
      service,
      Array.from({ length: 60 }, (_, i) => ({ author: writers[i % 6]!, secondsAgo: 30 * i })),
    );
    const read = async () => (await scroll(service, viewer.token, 'order=score&limit=7&place=true')).pages;
    const itemsOf = async () => (await read()).flatMap(({ items }) => items);
    const plainly = await itemsOf();
    const statements = await functions();
    const byFunctions = await itemsOf();
    expect(statements.length).toBeGreaterThan(1);
    expect(byFunctions).toEqual(plainly);
    expect(byFunctions.map(({ id }) => id)).toEqual(await plainFeed(service, viewer.id, 'score', true));
  });

  test('that write and lock too: acts of several at once count as they would', async () => {
    const actors = await Promise.all(Array.from({ length: 6 }, () => service.user()));
    const { json: post } = await service.call<{ id: string }>('POST', '/v1/posts', {
      as: viewer,
      body: { body: 'Reacted to by six, twice each' },
    });
    for (const kind of ['like', 'dislike', 'like'])
      await Promise.all(
        actors.map((as) => service.call('PUT', `/v1/posts/${post.id}/reaction`, { as, body: { kind } })),
      );
    await Promise.all(
      actors.map((as) => service.call('POST', `/v1/posts/${post.id}/comments`, { as, body: { body: 'So said I' } })),
    );
    await Promise.all(actors.map((as) => service.call('PUT', `/v1/follows/${viewer.id}`, { as })));
    const { json } = await service.call('GET', `/v1/posts/${post.id}`, { as: viewer });
    expect(json).toMatchObject({ tallies: { reactions: { like: 6 }, comments: 6 } });
    const { json: user } = await service.call('GET', `/v1/users/${viewer.id}`);
    expect(user).toMatchObject({ tallies: { followers: 6 } });
    const wrote = await service.dataSource.query<unknown[]>(
      `SELECT FROM pg_proc WHERE pronamespace = 'gather_lane_plans'::regnamespace AND prosrc ~ 'INSERT INTO|UPDATE|FOR (NO KEY )?UPDATE'`,
    );
    expect(wrote.length).toBeGreaterThan(2);
  });

  test('go on where their functions were dropped, whatever sends them', async () => {
    const { json: post } = await service.call<{ id: string }>('POST', '/v1/posts', {
      as: viewer,
      body: { body: 'Before' },
    });
    const all = () =>
      Promise.all([
        service.call('GET', '/v1/feeds/following', { as: viewer }),
        service.call('GET', `/v1/posts/${post.id}`, { as: viewer }),
        service.call('PUT', `/v1/posts/${post.id}/reaction`, { as: viewer, body: { kind: 'like' } }),
        service.call('PUT', `/v1/posts/${post.id}/reaction`, { as: viewer, body: { kind: 'dislike' } }),
      ]);
    for (let i = 0; i < 3; i++) await all();
    await service.dataSource.query(`DROP SCHEMA gather_lane_plans CASCADE`);
    const statuses = (await all()).map(({ status }) => status);
    expect(statuses.every((status) => status < 300)).toBe(true);
  });
});

describe('a function', () => {
  const open = async () => {
    const mapping = { entities: [], migrations: [], ownFields: {} };
    const direct = createMappedDataSource(service.database, mapping, { poolSize: 1 });
    await direct.initialize();
    const failures: unknown[] = [];
    const pooled = new PlanFunctions(direct, (error) => failures.push(error));
    const dataSource = createMappedDataSource(service.database, mapping, { poolSize: 2, pooled });
    await dataSource.initialize();
    const close = async () => {
      await pooled.settled();
      await dataSource.destroy();
      await direct.destroy();
    };
    return { direct, pooled, failures, dataSource, close };
  };

  test('that yields another type since a column changed is made anew, and nobody hears of it', async () => {
    const { direct, pooled, failures, dataSource, close } = await open();
    await direct.query(`CREATE TABLE moorings (id integer PRIMARY KEY, berths integer NOT NULL)`);
    await direct.query(`INSERT INTO moorings VALUES (1, 4)`);
    const sql = prepared(`SELECT berths FROM moorings WHERE id = $1`);
    const read = {
      alone: () => dataSource.query<unknown>(sql, [1]),
      together: async () => {
        const [outcome] = await together(dataSource, [{ sql, parameters: [1] }]);
        return (outcome as { rows: unknown }).rows;
      },
      inTransaction: () => inHotTransaction(dataSource, (transaction) => transaction.query<unknown>(sql, [1])),
    };
    let width: 'bigint' | 'integer' = 'bigint';
    for (const way of Object.values(read)) {
      await way();
      await pooled.settled();
      expect(pooled.callOf(sql)).toMatch(
        /^SELECT c0 AS "berths" FROM gather_lane_plans\.gl_[0-9a-f]{16}\(\$1::integer\)$/,
      );
      expect(await way()).toEqual([{ berths: width === 'bigint' ? 4 : '4' }]);
      await direct.query(`ALTER TABLE moorings ALTER berths TYPE ${width}`);
      expect(await way()).toEqual([{ berths: width === 'bigint' ? '4' : 4 }]);
      width = width === 'bigint' ? 'integer' : 'bigint';
    }
    expect(failures).toEqual([]);
    await direct.query(`DROP TABLE moorings`);
    await close();
  });

  test('is replaced under whoever calls it, without a call that fails', async () => {
    const [one, other] = [await open(), await open()];
    const sql = prepared(`SELECT $1::integer + 1 AS next`);
    await one.dataSource.query(sql, [1]);
    await one.pooled.settled();
    let going = true;
    const calling = Promise.all(
      [0, 1].map(async () => {
        const found = new Set<unknown>();
        while (going) found.add(((await one.dataSource.query(sql, [1])) as [{ next: number }])[0].next);
        return [...found];
      }),
    );
    // As another service does that starts, again and again.
    for (let n = 0; n < 30; n++) {
      const { pooled } = other;
      pooled.isGone(sql, { code: '42883' });
      await other.dataSource.query(sql, [1]);
      await pooled.settled();
    }
    going = false;
    expect(await calling).toEqual([[2], [2]]);
    expect([one.failures, other.failures]).toEqual([[], []]);
    await one.close();
    await other.close();
  });

  test('that writes and is cut off says that nobody knows what came of it', async () => {
    const { direct, pooled, dataSource, close } = await open();
    await direct.query(`CREATE TABLE berths (id integer)`);
    const sql = prepared(`
      INSERT INTO berths VALUES ($1::integer) RETURNING id, CASE WHEN $2::boolean THEN pg_terminate_backend(pg_backend_pid()) END AS cut`);
    await dataSource.query(sql, [1, false]);
    await pooled.settled();
    expect(pooled.callOf(sql)).not.toBeNull();
    await expect(dataSource.query(sql, [2, true])).rejects.toThrow(OutcomeUnknown);
    await direct.query(`DROP TABLE berths`);
    await close();
  });

  test('that may not be made leaves the statement as it is, and its failures are its own', async () => {
    const { direct, pooled, failures, dataSource, close } = await open();
    await direct.query(`DROP SCHEMA IF EXISTS gather_lane_plans CASCADE`);
    await direct.query(`CREATE ROLE no_maker`).catch(() => undefined);
    await direct.query(`SET ROLE no_maker`);
    const sql = prepared(`SELECT 12 / $1::integer AS each`);
    expect(await dataSource.query(sql, [3])).toEqual([{ each: 4 }]);
    await pooled.settled();
    expect([failures.length, pooled.callOf(sql)]).toEqual([1, null]);
    expect(await dataSource.query(sql, [4])).toEqual([{ each: 3 }]);
    await expect(dataSource.query(sql, [0])).rejects.toThrow('division by zero');
    await direct.query(`RESET ROLE`);
    await direct.query(`DROP ROLE no_maker`);
    await close();
  });
});

test('connections that are not set as they must be are refused, with the statements that mend it', async () => {
  const limits = { statementSeconds: 15, lockSeconds: 120, idleTransactionSeconds: 7200 };
  const mapping = { entities: [], migrations: [], ownFields: {} };
  const asked = createMappedDataSource(service.database, mapping, { poolSize: 1, limits });
  await asked.initialize();
  await requireSettings(asked, limits);
  await asked.destroy();
  const bare = createMappedDataSource(service.database, mapping, {
    poolSize: 1,
    limits: NO_LIMITS,
  });
  await bare.initialize();
  const refused = requireSettings(bare, limits);
  await expect(refused).rejects.toThrow(/ALTER ROLE "\w+" SET statement_timeout = '15s';/);
  await expect(refused).rejects.toThrow(
    /SET lock_timeout = '2min';\nALTER ROLE "\w+" SET idle_in_transaction_session_timeout = '2h';/,
  );
  await bare.destroy();
});
