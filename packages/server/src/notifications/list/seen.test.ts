import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import type { NotificationPage, UnseenView } from './schema.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

const call = async <T = Record<string, unknown>>(method: string, path: string, as: Actor, body?: unknown) => {
  const reply = await service.call<T>(method, path, { as, ...(body !== undefined && { body }) });
  expect([method, path, reply.status < 300 || reply.json]).toEqual([method, path, true]);
  return reply.json;
};
const post = async (as: Actor) =>
  (await call<{ id: string }>('POST', '/v1/posts', as, { body: 'Seen from the lock' })).id;
const react = (as: Actor, on: string) => call('PUT', `/v1/posts/${on}/reaction`, as, { kind: 'like' });
const takeBack = (as: Actor, on: string) => call('DELETE', `/v1/posts/${on}/reaction`, as);
const list = (as: Actor, query = '') => call<NotificationPage>('GET', `/v1/notifications${query}`, as);
const mark = (as: Actor, through: string) => call<UnseenView>('PUT', '/v1/notifications/seen', as, { through });
const people = (n: number) => Promise.all(Array.from({ length: n }, () => service.user()));
const inWords = ({ items }: NotificationPage) =>
  items.map(
    ({ actors, others, unseen }) =>
      `${actors.map(({ handle }) => handle).join('+')}${others ? `+${others}` : ''}${unseen ? '*' : ''}`,
  );

/** A connection of its own, for a transaction that stays open. */
async function transaction() {
  const client = new pg.Client(service.database);
  await client.connect();
  await client.query('BEGIN');
  return {
    react: async (actor: Actor, on: string, owner: Actor) => {
      await client.query(`INSERT INTO reactions (post_id, user_id, kind) VALUES ($1, $2, 'like')`, [on, actor.id]);
      await client.query(
        `SELECT tell(ARRAY[$1::uuid], ARRAY[$2::uuid], ARRAY[$3::uuid], ARRAY['reacted'], ARRAY[$1::uuid], ARRAY[$1::uuid])`,
        [on, actor.id, owner.id],
      );
    },
    query: (sql: string, parameters: unknown[]) => client.query(sql, parameters),
    end: async (how: 'COMMIT' | 'ROLLBACK') => {
      await client.query(how);
      await client.end();
    },
  };
}

describe('gathering', () => {
  test('acts of one kind on one thing are one notification while it is unseen, the latest first', async () => {
    const [ada, ...others] = (await people(7)) as [Actor, ...Actor[]];
    const [one, two] = [await post(ada), await post(ada)];
    for (const each of others) await react(each, one);
    await react(others[0]!, two);
    const names = others.map(({ handle }) => handle).reverse();
    expect(inWords(await list(ada))).toEqual([`${names[5]}*`, `${names.slice(0, 3).join('+')}+3*`]);
    // The latest act puts it first; taking that back lowers nothing.
    const before = (await list(ada)).items.map(({ id }) => id);
    await takeBack(others[0]!, one);
    await react(others[1]!, two);
    await takeBack(others[1]!, two);
    expect((await list(ada)).items.map(({ id }) => id)).toEqual(before);
    await takeBack(others[0]!, two);
    expect(inWords(await list(ada))).toEqual([`${names.slice(0, 3).join('+')}+2*`]);
  });

  test('what the mark does not show is a notification of its own, so one that never rests is seen too', async () => {
    const [ada, bo, cy, di] = (await people(4)) as [Actor, Actor, Actor, Actor];
    const one = await post(ada);
    await react(bo, one);
    const { through } = await list(ada);
    await react(cy, one);
    expect(await mark(ada, through)).toEqual({ unseen: 1, more: false });
    expect(inWords(await list(ada))).toEqual([`${cy.handle}*`, bo.handle]);
    await react(di, one);
    expect(inWords(await list(ada))).toEqual([`${di.handle}+${cy.handle}*`, bo.handle]);
    expect(await mark(ada, (await list(ada)).through)).toEqual({ unseen: 0, more: false });
    expect(await mark(ada, through)).toEqual({ unseen: 0, more: false });
    expect(inWords(await list(ada))).toEqual([`${di.handle}+${cy.handle}`, bo.handle]);
  });
});

describe('a mark', () => {
  test('leaves unseen what committed after the list was read, although it began before', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const [one, two] = [await post(ada), await post(ada)];
    await react(bo, one);
    const open = await transaction();
    await open.react(cy, two, ada);
    const { through, items } = await list(ada);
    expect(items).toHaveLength(1);
    await open.end('COMMIT');
    expect(await mark(ada, through)).toEqual({ unseen: 1, more: false });
    expect(inWords(await list(ada))).toEqual([`${cy.handle}*`, bo.handle]);
  });

  test('waits for an act under way on what it marks, and leaves that unseen', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const one = await post(ada);
    await react(bo, one);
    const { through } = await list(ada);
    for (const how of ['ROLLBACK', 'COMMIT'] as const) {
      const open = await transaction();
      await open.react(cy, one, ada);
      const marking = mark(ada, through);
      await waiting('mark_seen');
      await open.end(how);
      expect(await marking).toEqual({ unseen: how === 'COMMIT' ? 1 : 0, more: false });
      await service.dataSource.query(`UPDATE notifications SET seen = false WHERE user_id = $1 AND $2`, [
        ada.id,
        how === 'ROLLBACK',
      ]);
    }
    expect(inWords(await list(ada))).toEqual([`${cy.handle}*`, bo.handle]);
  });

  test('an act waits for the mark under way, and is unseen', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const one = await post(ada);
    await react(bo, one);
    const [{ snapshot }] = await service.dataSource.query<[{ snapshot: string }]>(
      `SELECT pg_current_snapshot()::text AS snapshot`,
    );
    const marking = await transaction();
    await marking.query(`SELECT mark_seen($1, ARRAY['reacted'], $2::text::pg_snapshot, 10)`, [ada.id, snapshot]);
    const acting = react(cy, one);
    await waiting('WITH asked');
    await marking.end('COMMIT');
    await acting;
    expect(inWords(await list(ada))).toEqual([`${cy.handle}*`, bo.handle]);
  });

  test('of a list after which somebody reacted and took it back', async () => {
    const [ada, bo, cy, di] = (await people(4)) as [Actor, Actor, Actor, Actor];
    const one = await post(ada);
    await react(bo, one);
    const { through } = await list(ada);
    await react(cy, one);
    await takeBack(cy, one);
    expect(await mark(ada, through)).toEqual({ unseen: 0, more: false });
    expect(inWords(await list(ada))).toEqual([bo.handle]);
    // And where all that it showed was taken back.
    const two = await post(ada);
    await react(bo, two);
    const later = await list(ada);
    await react(di, two);
    await takeBack(bo, two);
    expect(await mark(ada, later.through)).toEqual({ unseen: 1, more: false });
    expect(inWords(await list(ada))).toEqual([`${di.handle}*`, bo.handle]);
  });

  test('is of its kinds, its user and its list alone', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const one = await post(ada);
    await react(bo, one);
    await call('POST', `/v1/posts/${one}/comments`, bo, { body: 'Said' });
    const reacted = await list(ada, '?kinds=reacted');
    expect(reacted).toMatchObject({ unseen: 1, items: [{ kind: 'reacted' }] });
    expect(await mark(ada, reacted.through)).toEqual({ unseen: 1, more: false });
    expect((await list(ada)).items).toMatchObject([
      { kind: 'commented', unseen: true },
      { kind: 'reacted', unseen: false },
    ]);
    for (const [as, through, status] of [
      [bo, reacted.through, 400],
      [ada, `${reacted.through.slice(0, -2)}AA`, 400],
      [ada, 'x', 400],
      [ada, '', 422],
    ] as const)
      expect((await service.call('PUT', '/v1/notifications/seen', { as, body: { through } })).status).toBe(status);
    const wrong = await service.call('GET', '/v1/notifications?kinds=reactd', { as: ada });
    expect([wrong.status, JSON.stringify(wrong.json)]).toEqual([422, expect.stringContaining('reacted')]);
  });

  test('over hand-written SQL on many posts', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const posts = await Promise.all(Array.from({ length: 30 }, () => post(ada)));
    for (const each of posts) await react(bo, each);
    const first = await list(ada, '?limit=10');
    await Promise.all(posts.slice(0, 20).map((each) => react(cy, each)));
    const open = await transaction();
    await open.query(`DELETE FROM reactions WHERE post_id = ANY ($1)`, [posts.slice(10, 30)]);
    const marking = mark(ada, first.through);
    await waiting('mark_seen');
    await open.end('COMMIT');
    // Of ten both showed, of ten the earlier and the later were taken back, of ten the only one.
    expect(await marking).toEqual({ unseen: 10, more: false });
    expect(inWords(await list(ada, '?limit=100')).sort()).toEqual(
      [...Array<string>(10).fill(bo.handle), ...Array<string>(10).fill(`${cy.handle}*`)].sort(),
    );
  });
});

describe('reading on', () => {
  test('what rises meanwhile leaves the later pages, nothing comes twice, and it stays unseen', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const posts: string[] = [];
    for (let i = 0; i < 9; i++) posts.push(await post(ada));
    for (const each of posts) await react(bo, each);
    const first = await list(ada, '?limit=3');
    expect(first.items.map(({ postId }) => postId)).toEqual(posts.slice(6).reverse());
    await react(cy, posts[1]!);
    await react(cy, posts[7]!);
    const second = await list(ada, `?limit=3&after=${first.next}`);
    const third = await list(ada, `?limit=3&after=${second.next}`);
    expect([...second.items, ...third.items].map(({ postId }) => postId)).toEqual([5, 4, 3, 2, 0].map((i) => posts[i]));
    expect([second.through === '', third.next]).toEqual([false, null]);
    expect(await mark(ada, third.through)).toEqual({ unseen: 2, more: false });
    expect(
      (await list(ada)).items.filter(({ unseen }) => unseen).map(({ postId, actors }) => [postId, actors.length]),
    ).toEqual([
      [posts[7], 1],
      [posts[1], 1],
    ]);
    const other = await service.call('GET', `/v1/notifications?kinds=followed&after=${first.next}`, { as: ada });
    expect(other.status).toBe(400);
  });

  test('counts to 99 and says that there are more', async () => {
    const ada = await service.user();
    await service.dataSource.query(
      `INSERT INTO users (id, handle, name) SELECT gen_random_uuid(), 'crowd_' || i, 'Crowd' FROM generate_series(1, 130) i`,
    );
    const crowd = await service.dataSource.query<{ id: string }[]>(`SELECT id FROM users WHERE handle LIKE 'crowd%'`);
    const one = await post(ada);
    const ids = crowd.map(({ id }) => id);
    const fill = (n: number) => Array<string>(ids.length).fill([one, 'reacted', ada.id][n]!);
    await service.dataSource.query(
      `INSERT INTO reactions (post_id, user_id, kind) SELECT $1, unnest($2::uuid[]), 'like'`,
      [one, ids],
    );
    await service.dataSource.query(
      `SELECT tell($1::uuid[], $2::uuid[], $3::uuid[], $4::text[], $1::uuid[], $1::uuid[])`,
      [fill(0), ids, fill(2), fill(1)],
    );
    expect((await list(ada)).items[0]).toMatchObject({ others: 99, more: true });
    // One for each of many followers.
    await service.dataSource.query(
      `INSERT INTO notifications (id, user_id, kind, target_id, post_id) SELECT new_uuid7(), $1, 'watched', gen_random_uuid(), $2 FROM generate_series(1, 120)`,
      [ada.id, one],
    );
    expect(await call('GET', '/v1/notifications/unseen', ada)).toEqual({ unseen: 99, more: true });
    expect(await mark(ada, (await list(ada)).through)).toEqual({ unseen: 0, more: false });
  });
});

/** Until a statement with such a text waits for a lock. */
async function waiting(text: string): Promise<void> {
  for (let tries = 0; tries < 10_000; tries++) {
    const rows = await service.dataSource.query<unknown[]>(
      `SELECT FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database() AND query LIKE '%' || $1 || '%'`,
      [text],
    );
    if (rows.length > 0) return;
  }
  throw new Error(`no statement with "${text}" waits`);
}
