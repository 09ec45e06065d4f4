import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals';
import pg from 'pg';
import { makeDatabase, type TestDatabase } from '../../tests/test-database.js';
import { WrittenPlaces } from './written-places.js';

let database: TestDatabase;
let pool: pg.Pool;
let [client, other]: pg.PoolClient[] = [];
beforeAll(async () => {
  database = await makeDatabase();
  pool = new pg.Pool({ ...database.address, max: 2 });
});
beforeEach(async () => {
  [client, other] = [await pool.connect(), await pool.connect()];
  // One that is still on its way out when the database goes is nobody's fault.
  for (const each of [client, other]) each.on('error', () => undefined);
});
afterEach(() => {
  client!.release(true);
  other!.release(true);
});
afterAll(async () => {
  await pool.end();
  await database.drop();
});

test('what was written otherwise is held only by what was asked after it', async () => {
  const places = new WrittenPlaces();
  expect(places.known).toBeNull();
  const first = await places.ask(client!, true);
  expect(places.known).toBe(first);
  const underWay = places.ask(client!, true);
  places.wroteOtherwise();
  await underWay;
  expect(places.known).toBeNull();
  const then = await places.ask(client!, false);
  expect([then, places.known]).toEqual([expect.any(String), then]);
});

test('a connection that breaks takes along what was known: the next server may have another log', async () => {
  const places = new WrittenPlaces();
  await places.ask(client!, true);
  const { rows } = await client!.query<{ pid: number }>(`SELECT pg_backend_pid() AS pid`);
  await other!.query(`SELECT pg_terminate_backend($1, 5000)`, [rows[0]!.pid]);
  expect(await places.ask(client!, true)).toBeNull();
  expect(places.known).toBeNull();
  expect(await places.ask(other!, true)).toBe(places.known);
});

test('a place that a later statement tells counts as of when that was sent', () => {
  const places = new WrittenPlaces();
  const { done } = places;
  places.heard('0/20', done);
  expect(places.known).toBe('0/20');
  places.wroteOtherwise();
  places.heard('0/30', done);
  expect(places.known).toBeNull();
  places.heard('0/10', places.done);
  expect(places.known).toBe('0/30');
});
