import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
let user: Actor;
beforeAll(async () => {
  service = await startTestService();
  user = await service.user();
});
afterAll(() => service.stop());

const post = () => service.call('POST', '/v1/posts', { as: user, body: { body: 'Moored' } });
const codeOf = ({ json }: { json: Record<string, unknown> }) => String(json.type).split('/').at(-1);
/** Has something happen right before a transaction with a post in it is committed. */
const atCommit = async (statement: string) => {
  await service.dataSource.query(
    `CREATE OR REPLACE FUNCTION at_commit() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN ${statement}; RETURN NULL; END $$`,
  );
  await service.dataSource.query(
    `CREATE CONSTRAINT TRIGGER at_commit AFTER INSERT ON posts DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION at_commit()`,
  );
};
const restore = () => service.dataSource.query(`DROP TRIGGER at_commit ON posts`);

describe('a write that the database does not end', () => {
  test('whose connection breaks at the commit is said to be unknown, not undone', async () => {
    await atCommit(`PERFORM pg_terminate_backend(pg_backend_pid())`);
    const reply = await post();
    expect([reply.status, codeOf(reply)]).toEqual([503, 'outcome-unknown']);
    await restore();
    expect((await post()).status).toBe(201);
  });

  test('reads whose connections break are answered for, and the service goes on', async () => {
    const feed = () => service.call('GET', '/v1/feeds/following', { as: user });
    expect([(await feed()).status, (await feed()).status]).toEqual([200, 200]);
    const statuses = new Set<number>();
    for (let round = 0; round < 5; round++) {
      const reading = Promise.all(Array.from({ length: 20 }, feed));
      await service.dataSource.query(
        `SELECT pg_terminate_backend(pid) FROM pg_stat_activity
         WHERE datname = current_database() AND pid <> pg_backend_pid() AND query LIKE '%WITH entries AS MATERIALIZED%'`,
      );
      for (const { status } of await reading) statuses.add(status);
    }
    expect([...statuses].filter((status) => status !== 200 && status !== 503)).toEqual([]);
    expect((await feed()).status).toBe(200);
  });

  test.each([
    ['a full disk', '53100', 503, 'no-space'],
    ['a server that only reads', '25006', 503, 'no-database'],
    ['one that is cut for its time', '57014', 503, 'too-slow'],
    ['a lock that is not to be had in time', '55P03', 503, 'too-slow'],
  ])('%s is said to be that', async (_, state, status, code) => {
    await atCommit(`RAISE EXCEPTION 'planted' USING ERRCODE = '${state}'`);
    const reply = await post();
    expect([reply.status, codeOf(reply)]).toEqual([status, code]);
    await restore();
  });

  // What changes nothing is a single expression, and is put in the place of its call.
  test('every function of the service’s that runs queries does so without compiling them', async () => {
    // Those of traces read nothing but their own arguments, which costs too little to be compiled.
    const compiled = await service.dataSource.query<{ name: string }[]>(
      `SELECT proname AS name FROM pg_proc WHERE pronamespace = 'public'::regnamespace AND NOT coalesce(proconfig, '{}') @> '{jit=off}'
       AND provolatile = 'v' AND proname NOT IN ('at_commit', 'new_uuid7', 'trace_row', 'trace_plain_row', 'trace_write', 'trace_told')`,
    );
    expect(compiled).toEqual([]);
    const [{ jit }] = await service.dataSource.query<[{ jit: string }]>(`SELECT current_setting('jit') AS jit`);
    expect(jit).toBe('off');
  });
});
