import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readLogPlace } from '@gather-lane/core';
import pg from 'pg';
import type { Cluster } from '../ground/database/cluster/cluster.js';
import { Standbys } from '../ground/standbys/standbys.js';
import { addComments, addFollows, addPosts, addUsers, dice, plainFeed, type FeedReply } from '../tests/graph.js';
import { makePair, until, watched, type Pair, type Standby, type Watched } from '../tests/standby.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

// A primary, and a standby that is asked for pages and does not keep anybody waiting.

let pair: Pair;
let cluster: Cluster;
let standby: Standby;
let service: TestService;
let viewer: Actor;
let writers: string[];
let posts: string[];
let address: string;
let readThere: Watched['readThere'];
let caughtUp: Watched['caughtUp'];
let there: Watched['there'];
beforeAll(async () => {
  pair = await makePair();
  ({ cluster, standby } = pair);
  const { host, port, user, password, database } = standby.address;
  address = `postgres://${user}:${password}@${host}:${port}/${database}`;
  service = await startTestService({
    on: cluster.address,
    configuration: { database: { standbys: [address], standbyLagSeconds: 3600 } },
  });
  ({ readThere, caughtUp, there } = watched(service));
  viewer = await service.user();
  writers = await addUsers(service, 8, 'writer');
  await addFollows(service, viewer.id, writers);
  posts = await addPosts(
    service,
    Array.from({ length: 160 }, (_, i) => ({ author: writers[i % 8]!, secondsAgo: 60 + (i % 80) * 40 })),
  );
  await addComments(
    service,
    Array.from({ length: 120 }, (_, i) => ({ post: posts[(i * 7) % 160]!, author: writers[(i * 5) % 8]! })),
  );
});
afterAll(async () => {
  await service.stop();
  await pair.stop();
});

const page = async (as: Actor, query: string, seen?: string | null) => {
  const { status, headers, json } = await service.call<FeedReply>('GET', `/v1/feeds/following?${query}`, {
    as,
    ...(seen && { headers: { 'gather-seen': seen } }),
  });
  return { status, seen: headers.get('gather-seen'), ...json };
};
const write = async (as: Actor, body: string) => {
  const { json, headers } = await service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body } });
  return { id: json.id, seen: headers.get('gather-seen') };
};

describe('a page', () => {
  test('is read at the standby for who says what they have seen, and at the primary for who does not', async () => {
    await caughtUp();
    const before = readThere();
    const silent = await page(viewer, 'limit=20');
    expect(readThere()).toBe(before);
    expect(silent.seen).toMatch(/^[0-9A-F]+\/[0-9A-F]+$/);
    await caughtUp();
    const told = await there(() => page(viewer, 'limit=20', silent.seen));
    expect(told.items).toEqual(silent.items);
    const nothingYet = await there(() => page(viewer, 'limit=20', '0/0'));
    expect(nothingYet.items).toEqual(silent.items);
    const newer = await there(() =>
      service.call('GET', `/v1/feeds/following/newer?than=${told.first}`, {
        as: viewer,
        headers: { 'gather-seen': told.seen! },
      }),
    );
    expect(newer.json).toEqual({ new: 0, risen: 0, more: false, reordered: false });
  });

  test.each(['0', 'here', '0/0/0', '0/1, 0/2', '-1/0', '0/123456789'])('for who says %j is refused', async (seen) => {
    expect((await page(viewer, 'limit=5', seen)).status).toBe(400);
  });

  test('of who wrote holds what they wrote, while the standby replays nothing; that of another waits for nobody', async () => {
    await caughtUp();
    const other = await service.user();
    await addFollows(service, other.id, [viewer.id]);
    await caughtUp();
    const seen = (await page(other, 'limit=5')).seen;
    await caughtUp();
    await standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      const before = readThere();
      for (let i = 0; i < 5; i++) {
        const made = await write(viewer, `Seen by me at once, ${i}`);
        const { items, seen: reached } = await page(viewer, 'limit=5', made.seen);
        expect(items[0]!.id).toBe(made.id);
        // Reading on does not lead back to where it is not.
        expect((await page(viewer, 'limit=5', reached)).items[0]!.id).toBe(made.id);
      }
      expect(readThere()).toBe(before);
      expect((await there(() => page(other, 'limit=5', seen))).items).toEqual([]);
    } finally {
      await standby.ask(`SELECT pg_wal_replay_resume()`);
    }
    await caughtUp();
    expect((await page(other, 'limit=5', seen)).items).toHaveLength(5);
  });

  test('after a write of whatever kind is asked for what holds it, however the write was done', async () => {
    const [one, other] = [await service.user(), await service.user()];
    const { id } = await write(one, 'To be written about');
    const { json: comment } = await service.call<{ id: string }>('POST', `/v1/posts/${posts[0]}/comments`, {
      as: one,
      body: { body: 'Well moored.' },
    });
    const calls: [string, string, object?][] = [
      ['POST', '/v1/posts', { body: 'Another' }],
      ['PUT', `/v1/posts/${posts[0]}/reaction`, { kind: 'like' }],
      ['PATCH', `/v1/posts/${id}`, { body: 'Written about' }],
      ['PUT', `/v1/posts/${posts[0]}/reaction`, { kind: 'dislike' }],
      ['POST', `/v1/posts/${posts[0]}/comments`, { body: 'Once more.' }],
      ['PATCH', `/v1/comments/${comment.id}`, { body: 'Better moored.' }],
      ['PUT', `/v1/follows/${writers[0]}`],
      ['PUT', `/v1/mutes/${writers[1]}`],
      ['DELETE', `/v1/follows/${writers[0]}`],
      ['PUT', `/v1/blocks/${other.id}`],
      ['DELETE', `/v1/posts/${posts[0]}/reaction`],
      ['DELETE', `/v1/comments/${comment.id}`],
      ['POST', '/v1/posts', { body: 'And another' }],
      ['DELETE', `/v1/posts/${id}`],
    ];
    // Not by the service's own connections: it would ask anew after whatever is done on those.
    const beside = new pg.Client(service.database);
    await beside.connect();
    for (const [method, path, body] of calls) {
      const { rows } = await beside.query<{ place: string }>(`SELECT pg_current_wal_insert_lsn()::text AS place`);
      const { place } = rows[0]!;
      const { status, headers } = await service.call(method, path, { as: one, ...(body && { body }) });
      const said = headers.get('gather-seen')!;
      const held = readLogPlace(said)! > readLogPlace(place)!;
      expect({ method, path, ok: status < 300, held, known: said !== 'unknown' }).toEqual({
        method,
        path,
        ok: true,
        held: true,
        known: true,
      });
    }
    await beside.end();
  });

  test('is refused at once to a session that ended, though the standby does not know of it', async () => {
    const leaver = await service.user();
    const { seen } = await page(leaver, 'limit=5');
    await caughtUp();
    expect((await page(leaver, 'limit=5', seen)).status).toBe(200);
    await standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      await service.dataSource.query(`UPDATE sessions SET ended_at = now(), end_reason = 'reuse' WHERE user_id = $1`, [
        leaver.id,
      ]);
      expect((await page(leaver, 'limit=5', seen)).status).toBe(401);
    } finally {
      await standby.ask(`SELECT pg_wal_replay_resume()`);
    }
  });

  test('older than is allowed is not read there, whatever was seen', async () => {
    const all = service.house.get(Standbys).all;
    await caughtUp();
    await standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      // Received, and not replayed: from then on it ages.
      await write(viewer, 'Not there yet');
      await until(() => (all[0]!.state?.age ?? 0) > 0);
      const age = all[0]!.state!.age!;
      expect([new Standbys(all, age / 2).at('0/0'), new Standbys(all, age + 3600).at('0/0')]).toEqual([null, all[0]]);
    } finally {
      await standby.ask(`SELECT pg_wal_replay_resume()`);
    }
  });
});

/** A browser says by its cookie what a client says by a header. */
test('a session by cookie reads there too, and finds what it wrote', async () => {
  const password = 'a long walk along the cut';
  const headers = { origin: service.address };
  const [handle, email] = ['cookie_reader', 'cookie.reader@example.org'];
  await service.call('POST', '/v1/users', { body: { handle, name: 'By cookie', email, password } });
  const signedIn = await service.call('POST', '/v1/sessions', {
    body: { login: handle, password, cookie: true },
    headers,
  });
  expect(signedIn.status).toBe(201);
  const cookies = () =>
    Object.entries(jar)
      .map(([name, value]) => `${name}=${value}`)
      .join('; ');
  const jar: Record<string, string> = {};
  const keep = (headers: Headers) => {
    for (const cookie of headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(cookie)!;
      jar[name!] = decodeURIComponent(value!);
    }
  };
  keep(signedIn.headers);
  expect(jar.gather_lane_seen).toMatch(/^[0-9A-F]+\/[0-9A-F]+$/);
  const call = <T>(method: string, path: string, body?: object) =>
    service.call<T>(method, path, { headers: { cookie: cookies(), origin: service.address }, ...(body && { body }) });
  await caughtUp();
  expect((await there(() => call<FeedReply>('GET', '/v1/feeds/following'))).json.items).toEqual([]);
  await standby.ask(`SELECT pg_wal_replay_pause()`);
  try {
    const made = await call<{ id: string }>('POST', '/v1/posts', { body: 'By cookie' });
    keep(made.headers);
    expect((await call<FeedReply>('GET', '/v1/feeds/following')).json.items.map(({ id }) => id)).toEqual([
      made.json.id,
    ]);
  } finally {
    await standby.ask(`SELECT pg_wal_replay_resume()`);
  }
});

describe('a scroll', () => {
  /** Scrolls to the end while others write, each page at another place than the one before where that may be. */
  const underWrites = async (order: 'recent' | 'score', seed: number) => {
    const { int, pick, chance } = dice(seed);
    const half = posts.filter((_, i) => (i + seed) % 2 === 0);
    const touchable = posts.filter((_, i) => (i + seed) % 2 === 1);
    const falling = touchable.at(-1)!;
    await service.dataSource.query(
      `INSERT INTO reactions (post_id, user_id, kind) SELECT $1, unnest($2::uuid[]), 'like' ON CONFLICT DO NOTHING`,
      [falling, writers],
    );
    const actors = await Promise.all(
      writers.slice(0, 3).map((id) =>
        service.call<{ accessToken: string }>('POST', '/v1/operator/sessions', {
          as: service.operatorKey,
          body: { user: id },
        }),
      ),
    );
    // Begun before the scroll, committed after its first page: the standby sees nothing of it but its end.
    const client = new pg.Client(service.database);
    await client.connect();
    await client.query('BEGIN');
    await client.query(`DELETE FROM reactions WHERE post_id = $1`, [falling]);
    let [done, acts] = [false, 0];
    const writing = Promise.all(
      actors.map(async ({ json: { accessToken } }) => {
        for (; !done; acts++) {
          const post = pick(touchable);
          const act = int(10);
          if (act < 2) await service.call('POST', '/v1/posts', { as: accessToken, body: { body: `new ${acts}` } });
          else if (act < 6)
            await service.call('PUT', `/v1/posts/${post}/reaction`, { as: accessToken, body: { kind: 'like' } });
          else await service.call('DELETE', `/v1/posts/${post}/reaction`, { as: accessToken });
        }
      }),
    );
    const ids: string[] = [];
    let [n, next, paused, atStandby] = [0, null as string | null, false, 0];
    do {
      if (n === 0) await caughtUp();
      const before = readThere();
      // Now and then the caller says nothing, and so reads at the primary.
      const seen = chance(0.7) || n === 0 ? '0/0' : null;
      const read: Awaited<ReturnType<typeof page>> = await page(
        viewer,
        `order=${order}&limit=7${next ? `&after=${next}` : ''}`,
        seen,
      );
      expect(read.status).toBe(200);
      atStandby += readThere() > before ? 1 : 0;
      ids.push(...read.items.map(({ id }) => id));
      next = read.next;
      n++;
      if (n === 1) await client.query('COMMIT');
      if (n % 5 === 2) {
        await standby.ask(`SELECT pg_wal_replay_pause()`);
        paused = true;
      } else if (n % 5 === 4 && paused) {
        await standby.ask(`SELECT pg_wal_replay_resume()`);
        paused = false;
      }
      const from = acts;
      while (acts < from + actors.length) await new Promise<void>((resolve) => setImmediate(resolve));
      if (!paused) await caughtUp();
    } while (next);
    if (paused) await standby.ask(`SELECT pg_wal_replay_resume()`);
    done = true;
    await writing;
    await client.end();
    const seenIds = new Set(ids);
    return { n, atStandby, twice: ids.length - seenIds.size, skipped: half.filter((id) => !seenIds.has(id)) };
  };

  test.each([
    ['recent', 1],
    ['score', 2],
    ['score', 3],
  ] as const)(
    'order=%s, seed %i, at the primary and at the standby in turn: none twice, none skipped',
    async (order, seed) => {
      const { n, atStandby, twice, skipped } = await underWrites(order, seed);
      expect({ twice, skipped }).toEqual({ twice: 0, skipped: [] });
      expect(atStandby).toBeGreaterThan(2);
      expect(atStandby).toBeLessThan(n);
    },
  );
});

describe('a scroll of few posts', () => {
  /** A reader of one author, whose oldest post stands highest by a comment. */
  const reading = async (name: string) => {
    const reader = await service.user();
    const [friend] = await addUsers(service, 1, name);
    await addFollows(service, reader.id, [friend!]);
    const ids = await addPosts(
      service,
      Array.from({ length: 20 }, (_, i) => ({ author: friend!, secondsAgo: 100 * i })),
    );
    return { reader, ids, bottom: ids.at(-1)! };
  };
  const readOn = async (reader: Actor, from: string | null, how: typeof there = (call) => call()) => {
    const ids: string[] = [];
    for (let next = from; next;) {
      const after: string = next;
      const read: Awaited<ReturnType<typeof page>> = await how(() =>
        page(reader, `order=score&limit=5&after=${after}`, '0/0'),
      );
      ids.push(...read.items.map(({ id }) => id));
      next = read.next;
    }
    return ids;
  };

  test('that began at a standby while a fall was under way does not meet what fell again', async () => {
    const { reader, ids, bottom } = await reading('faller');
    const [comment] = await addComments(service, [{ post: bottom, author: reader.id }]);
    const client = new pg.Client(service.database);
    await client.connect();
    await client.query('BEGIN');
    await client.query(`DELETE FROM comments WHERE id = $1`, [comment]);
    // Others end what they began later: a standby tells of nothing in between that it is still under way.
    await write(viewer, 'Begun later, ended before');
    await caughtUp();
    const first = await there(() => page(reader, 'order=score&limit=5', '0/0'));
    expect(first.items[0]!.id).toBe(bottom);
    await client.query('COMMIT');
    await client.end();
    await caughtUp();
    expect(await readOn(reader, first.next, there)).toEqual(ids.slice(4, -1));
  });

  test('that began at the primary does not meet again at a standby what it does not know to have risen', async () => {
    const { reader, ids, bottom } = await reading('riser');
    await caughtUp();
    await standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      await addComments(service, [{ post: bottom, author: reader.id }]);
      const first = await page(reader, 'order=score&limit=5');
      expect(first.items[0]!.id).toBe(bottom);
      expect(await readOn(reader, first.next)).toEqual(ids.slice(4, -1));
    } finally {
      await standby.ask(`SELECT pg_wal_replay_resume()`);
    }
  });
});

test('calls that are rehearsed, and the writes between them, say how far they reach', async () => {
  const rehearsing = await startTestService({
    on: cluster.address,
    configuration: { database: { standbys: [address] } },
    environment: { GATHER_LANE_TRACES_ON: 'true', GATHER_LANE_SESSIONS_ACTING_AS: 'true' },
  });
  const rehearse = (method: string, path: string, body?: object) =>
    rehearsing.call<{ outcomes: { status: number }[] }>('POST', '/v1/operator/calls', {
      as: rehearsing.operatorKey,
      body: { method, path, callers: [{ as: 'user', user: viewer.id }], ...(body && { body }) },
    });
  // The first write of all is one that is rolled back.
  const { json } = await rehearse('POST', '/v1/posts', { body: 'Only tried' });
  expect(json.outcomes).toMatchObject([{ status: 201 }]);
  for (let i = 0; i < 3; i++) {
    const { status, headers } = await rehearsing.call('POST', '/v1/posts', { as: viewer, body: { body: `Done ${i}` } });
    expect([status, headers.get('gather-seen')]).toEqual([201, expect.stringMatching(/^[0-9A-F]+\/[0-9A-F]+$/)]);
    expect((await rehearse('POST', '/v1/posts', { body: 'Tried again' })).json.outcomes).toMatchObject([
      { status: 201 },
    ]);
  }
  await rehearsing.stop();
});

test('a page is not held up by a standby that hangs, though nothing limits how long a statement takes', async () => {
  const limits = { statementSeconds: 0, lockSeconds: 0, standbyLagSeconds: 3600 };
  const unlimited = await startTestService({
    on: cluster.address,
    configuration: { database: { standbys: [address], ...limits } },
  });
  const [beside] = unlimited.house.get(Standbys).all;
  const client = new pg.Client(service.database);
  await client.connect();
  // A lock that the standby has taken over, and whose end it does not replay.
  await client.query('BEGIN');
  await client.query(`LOCK TABLE posts IN ACCESS EXCLUSIVE MODE`);
  await service.dataSource.query(`CREATE TABLE heard_of (id integer)`);
  await until(() => beside!.state !== null);
  await caughtUp();
  await standby.ask(`SELECT pg_wal_replay_pause()`);
  await client.query('COMMIT');
  await client.end();
  try {
    // Until it was asked there: a service that is kept from asking how far the standby is reads at the primary meanwhile.
    for (const { failed } = { ...beside!.sent }; beside!.sent.failed === failed;) {
      await until(() => unlimited.house.get(Standbys).at('0/0') !== null);
      const { status, json } = await unlimited.call<FeedReply>('GET', '/v1/feeds/following?limit=5', {
        as: viewer,
        headers: { 'gather-seen': '0/0' },
      });
      expect([status, json.items.length]).toEqual([200, 5]);
    }
  } finally {
    await standby.ask(`SELECT pg_wal_replay_resume()`);
  }
  await service.dataSource.query(`DROP TABLE heard_of`);
  await unlimited.stop();
});

test('a statement that fails there for its own sake takes the standby from nobody else', async () => {
  await caughtUp();
  const [beside] = service.house.get(Standbys).all;
  expect(await beside!.ask({ sql: 'SELECT 1 / 0', parameters: [] })).toBeNull();
  expect(beside!.state).not.toBeNull();
});

describe('a standby that goes away', () => {
  const ids = async (seen: string) => (await page(viewer, 'limit=100&own=false', seen)).items.map(({ id }) => id);

  test('by its promotion is asked no more', async () => {
    await caughtUp();
    await standby.ask(`SELECT pg_promote()`);
    await until(() => service.house.get(Standbys).all[0]!.state?.inRecovery === false);
    const before = readThere();
    const [made] = await addPosts(service, [{ author: writers[0]!, secondsAgo: 0 }]);
    expect((await ids('0/0'))[0]).toBe(made);
    expect(readThere()).toBe(before);
  });

  test('by its end costs no call anything but time', async () => {
    const beside = service.house.get(Standbys).all[0]!;
    const wanted = await plainFeed(service, viewer.id, 'recent', false);
    await standby.stop();
    // What was said last still holds: the next page is asked there, and then at the primary.
    const { sent } = beside;
    const failed = sent.failed;
    expect(await beside.ask({ sql: 'SELECT 1', parameters: [] })).toBeNull();
    expect(sent.failed).toBe(failed + 1);
    expect(await ids('0/0')).toEqual(wanted.slice(0, 100));
    await until(() => beside.state === null);
    expect(service.house.get(Standbys).at('0/0')).toBeNull();
  });
});
