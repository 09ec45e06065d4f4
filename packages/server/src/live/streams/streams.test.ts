import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createConnection } from 'node:net';
import { Watches } from '../../posts/watches/service.js';
import { addPosts } from '../../tests/graph.js';
import { asAdmin } from '../../tests/test-database.js';
import { EventReader } from '../../tests/event-reader.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { StreamHub } from './hub.js';

const LIMITS = { live: { streamsPerUser: 3, streamsPerProcess: 6 } };
let [service, other]: TestService[] = [];
beforeAll(async () => {
  service = await startTestService({ configuration: LIMITS });
  other = await startTestService({ configuration: LIMITS, on: service.database });
});
afterAll(async () => {
  await other!.stop();
  await service!.stop();
});

const open: EventReader[] = [];
function listen(as: Actor, options: { query?: string; after?: string; at?: TestService } = {}): EventReader {
  const reader = new EventReader((options.at ?? service!).address, as.token, options);
  open.push(reader);
  return reader;
}
afterEach(async () => {
  await Promise.all(open.splice(0).map((reader) => reader.close()));
  // Their places are free again once the service has seen it.
  for (const { house } of [service!, other!])
    while (house.get(StreamHub).size > 0) await new Promise((resolve) => setImmediate(resolve));
});

const call = async <T = Record<string, unknown>>(method: string, path: string, as: Actor, body?: unknown) => {
  const reply = await service!.call<T>(method, path, { as, ...(body !== undefined && { body }) });
  expect([method, path, reply.status < 300 || reply.json]).toEqual([method, path, true]);
  return reply.json;
};
const post = async (as: Actor) =>
  (await call<{ id: string }>('POST', '/v1/posts', as, { body: 'Seen from the lock' })).id;
const react = (as: Actor, on: string) => call('PUT', `/v1/posts/${on}/reaction`, as, { kind: 'like' });
const people = (n: number) => Promise.all(Array.from({ length: n }, () => service!.user()));
/** Whose acts a reader was told of: the latest of each notification. */
const actors = (...readers: EventReader[]) =>
  readers.flatMap((reader) =>
    reader.of('notification').map((each) => (each.actors as { handle: string }[])[0]!.handle),
  );

/** Reactions to many posts in one statement. */
const reactToAll = (posts: readonly string[], actor: Actor, owner: Actor) =>
  service!.dataSource.query(
    `WITH put AS (INSERT INTO reactions (post_id, user_id, kind) SELECT unnest($1::uuid[]), $2::uuid, 'like' RETURNING post_id, user_id)
     SELECT tell(array_agg(post_id), array_agg(user_id), array_agg($3::uuid), array_agg('reacted'::text), array_agg(post_id), array_agg(post_id)) FROM put`,
    [posts, actor.id, owner.id],
  );

describe('a stream', () => {
  test('tells what somebody is told, how much is unseen, and when another device has looked', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const one = await post(ada);
    const reader = await listen(ada).until(({ heard }) => heard.length === 1);
    expect(reader.heard).toMatchObject([{ event: 'unseen', data: { unseen: 0, more: false } }]);
    await react(bo, one);
    await reader.until(({ heard }) => heard.length === 3);
    expect(reader.heard.slice(1)).toMatchObject([
      { event: 'notification', data: { kind: 'reacted', unseen: true, actors: [{ handle: bo.handle }], postId: one } },
      { event: 'unseen', data: { unseen: 1 } },
    ]);
    const { through } = await call<{ through: string }>('GET', '/v1/notifications', ada);
    await call('PUT', '/v1/notifications/seen', ada, { through });
    await reader.until(({ heard }) => heard.length === 4);
    expect(reader.heard.at(-1)).toMatchObject({ event: 'unseen', data: { unseen: 0 } });
    // Nobody hears what is another's.
    const stranger = await listen(bo).until(({ heard }) => heard.length === 1);
    await call('POST', `/v1/posts/${one}/comments`, bo, { body: 'Said' });
    await service!.house.get(Watches).announce();
    await reader.until((each) => each.of('notification').length === 2);
    expect(stranger.heard).toHaveLength(1);
  });

  test('tells the counts of posts on screen, to who may see them, and how many posts came above', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const [one, unseen] = [await post(bo), await post(cy)];
    await call('PUT', `/v1/follows/@${bo.handle}`, ada);
    await call('PUT', `/v1/blocks/@${ada.handle}`, cy);
    const { first } = await call<{ first: string }>('GET', '/v1/feeds/following', ada);
    const reader = listen(ada, { query: `?posts=${one},${unseen}&than=${first}` });
    await reader.until((each) => each.of('newer').length === 1);
    expect(reader.of('tallies')).toEqual([
      { items: [{ postId: one, tallies: { comments: 0, reactions: {}, net: 0 } }] },
    ]);
    expect(reader.of('newer')).toMatchObject([{ new: 0 }]);
    await react(cy, one);
    await react(bo, unseen);
    await reader.until((each) => each.of('tallies').length === 2);
    expect(reader.of('tallies')[1]).toEqual({
      items: [{ postId: one, tallies: { comments: 0, reactions: { like: 1 }, net: 1 } }],
    });
    await post(bo);
    await post(cy);
    await reader.until((each) => each.of('newer').length === 2);
    expect(reader.of('newer')[1]).toMatchObject({ new: 1 });
  });

  test('a wrong question is refused before it begins', async () => {
    const ada = await service!.user();
    const ids = Array(101).fill(ada.id).join(',');
    for (const [query, status] of [
      ['?posts=x', 422],
      [`?posts=${ids}`, 422],
      ['?than=x', 400],
      ['?after=x', 400],
    ] as const)
      expect((await service!.call('GET', `/v1/events${query}`, { as: ada })).status).toBe(status);
    expect((await service!.call('GET', '/v1/events')).status).toBe(401);
    expect((await service!.call('GET', '/v1/events', { as: service!.operatorKey })).status).toBe(403);
  });
});

describe('taken up again', () => {
  test('at another process, nothing is left out and nothing comes twice, whatever commits late', async () => {
    const [ada, bo, ...others] = (await people(14)) as [Actor, Actor, ...Actor[]];
    const posts = await Promise.all(others.map(() => post(ada)));
    const first = await listen(ada).until(({ heard }) => heard.length > 0);
    // One that began before all others, and commits when they have been heard.
    const late = await service!.dataSource.createQueryRunner();
    await late.startTransaction();
    await late.query(`INSERT INTO reactions (post_id, user_id, kind) VALUES ($1, $2, 'like')`, [posts[0], bo.id]);
    await late.query(
      `SELECT tell(ARRAY[$1::uuid], ARRAY[$2::uuid], ARRAY[$3::uuid], ARRAY['reacted'], ARRAY[$1::uuid], ARRAY[$1::uuid])`,
      [posts[0], bo.id, ada.id],
    );
    for (const [i, each] of others.entries()) if (i > 0 && i < 5) await react(each, posts[i]!);
    await first.until((reader) => reader.of('notification').length === 4);
    await first.close();
    for (const [i, each] of others.entries()) if (i >= 5 && i < 9) await react(each, posts[i]!);
    await late.commitTransaction();
    await late.release();
    const second = listen(ada, { at: other!, after: first.lastId! });
    await second.until((reader) => reader.of('notification').length === 5);
    await second.close();
    for (const [i, each] of others.entries()) if (i >= 9) await react(each, posts[i]!);
    const third = listen(ada, { after: second.lastId! });
    await third.until((reader) => reader.of('notification').length === 3);
    const told = actors(first, second, third);
    expect([...told].sort()).toEqual([bo, ...others.slice(1)].map(({ handle }) => handle).sort());
    expect([first, second, third].flatMap((reader) => reader.of('reset'))).toEqual([]);
  });

  test('broken off in the middle of a batch, after each of its events', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const posts = await Promise.all(Array.from({ length: 5 }, () => post(ada)));
    const whole = await listen(ada).until(({ heard }) => heard.length > 0);
    await reactToAll(posts, bo, ada);
    await whole.until((reader) => reader.of('unseen').length === 2);
    const notifications = whole.heard.filter(({ event }) => event === 'notification');
    expect(notifications).toHaveLength(5);
    for (const [i, { id }] of notifications.entries()) {
      const rest = await listen(ada, { at: other!, after: id! }).until((reader) => reader.of('unseen').length === 1);
      expect(rest.of('notification').map((each) => each.id)).toEqual(
        notifications.slice(i + 1).map(({ data }) => data.id),
      );
      await rest.close();
    }
  });

  test('it goes on by itself after the database was away, and neither misses nor repeats anything', async () => {
    const [ada, ...others] = (await people(9)) as [Actor, ...Actor[]];
    const posts = await Promise.all(others.map(() => post(ada)));
    const readers = [listen(ada), listen(ada, { at: other! })];
    await Promise.all(readers.map((reader) => reader.until(({ heard }) => heard.length > 0)));
    for (const [i, each] of others.slice(0, 4).entries()) await react(each, posts[i]!);
    // Every connection ends, as when the database starts anew, while they are being told.
    await asAdmin((client) =>
      client.query(`SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1`, [
        service!.database.database,
      ]),
    );
    for (const [i, each] of others.slice(4).entries()) {
      // A call that meets a connection which has just ended is refused, and made again.
      const again = () =>
        service!.call('PUT', `/v1/posts/${posts[i + 4]}/reaction`, { as: each, body: { kind: 'like' } });
      for (let { status } = await again(); status !== 200; { status } = await again()) expect(status).toBe(503);
    }
    for (const reader of readers) {
      await reader.until((each) => each.of('notification').length === others.length);
      expect(actors(reader).sort()).toEqual(others.map(({ handle }) => handle).sort());
    }
  });

  test('where it cannot be known what was missed, it says so', async () => {
    const ada = await service!.user();
    const [{ at, snapshot }] = await service!.dataSource.query<[{ at: string; snapshot: string }]>(
      `SELECT (extract(epoch FROM clock_timestamp()) * 1000)::bigint AS at, pg_current_snapshot()::text AS snapshot`,
    );
    const old = `${(Number(at) - 25 * 3_600_000).toString(36)}/${snapshot}`;
    const elsewhere = `${Number(at).toString(36)}/9000000000:9000000000:`;
    for (const after of [old, elsewhere, 'nonsense', `${old}/${snapshot}`]) {
      const reader = await listen(ada, { after }).until(({ heard }) => heard.length >= 2);
      expect([after, reader.heard.map(({ event }) => event)]).toEqual([after, ['reset', 'unseen']]);
      await reader.close();
    }
  });
});

describe('a stream ends', () => {
  test('with the session, and with the account', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const [one, two] = [listen(ada), listen(bo, { at: other! })];
    await Promise.all([one, two].map((reader) => reader.until(({ heard }) => heard.length > 0)));
    expect((await service!.call('DELETE', '/v1/sessions/current', { as: ada })).status).toBe(204);
    await one.ended;
    expect((await service!.call('DELETE', `/v1/users/${bo.id}`, { as: bo, body: { handle: bo.handle } })).status).toBe(
      204,
    );
    await two.ended;
    expect([one.retry, two.retry]).toEqual([undefined, undefined]);
  });

  test('when it would be one too many, with how long to wait; and its place is free again', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const own = [listen(ada), listen(ada), listen(ada)];
    await Promise.all(own.map((reader) => reader.until(({ heard }) => heard.length > 0)));
    const more = listen(ada);
    await more.ended;
    expect([more.status, more.retryAfter]).toEqual([429, '5']);
    const others = [listen(bo), listen(bo), listen(bo)];
    await Promise.all(others.map((reader) => reader.until(({ heard }) => heard.length > 0)));
    const beyond = listen(cy);
    await beyond.ended;
    expect(beyond.status).toBe(429);
    await own[0]!.close();
    const hub = service!.house.get(StreamHub);
    while (hub.size > 5) await new Promise((resolve) => setImmediate(resolve));
    await listen(cy).until(({ heard }) => heard.length > 0);
  });

  test('where its reader takes nothing in, it is dropped and nothing is kept for it', async () => {
    const ada = await service!.user();
    const ids = await addPosts(
      service!,
      Array.from({ length: 400 }, (_, i) => ({ author: ada.id, secondsAgo: i })),
    );
    const { hostname, port } = new URL(service!.address);
    const socket = createConnection({ host: hostname, port: Number(port) });
    socket.on('error', () => undefined);
    socket.pause();
    socket.write(`GET /v1/events HTTP/1.1\r\nHost: ${hostname}\r\nAuthorization: Bearer ${ada.token}\r\n\r\n`);
    const hub = service!.house.get(StreamHub);
    while (hub.size === 0) await new Promise((resolve) => setImmediate(resolve));
    // As much at once as is told one by one, again and again.
    while (hub.size > 0) await reactToAll(ids, await service!.user(), ada);
    socket.destroy();
  });

  test('when the service stops, at once and with when to come back', async () => {
    const third = await startTestService({ on: service!.database });
    const ada = await service!.user();
    const reader = await listen(ada, { at: third }).until(({ heard }) => heard.length > 0);
    await third.stop();
    await reader.ended;
    expect(reader.retry).toBe('2000');
  });
});
