import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makePair, watched, type Pair, type Watched } from '../tests/standby.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

// Lists that are read at a standby, and what of them may be.

let pair: Pair;
let service: TestService;
let readThere: Watched['readThere'];
let caughtUp: Watched['caughtUp'];
let there: Watched['there'];
let reader: Actor;
let writer: Actor;
let paths: Record<string, string>;
/** How many statements each is, beside those that decide whether it may be read. */
const READS: Record<string, number> = {
  readFollowingFeed: 1,
  countNewer: 1,
  listPostReactions: 1,
  listCommentReactions: 1,
  listHashtags: 1,
  listLivelyHashtags: 1,
  listUsers: 3,
  listFollowers: 3,
  listFollowing: 3,
  listMutes: 3,
  listBlocks: 3,
};
beforeAll(async () => {
  pair = await makePair();
  const { host, port, user, password, database } = pair.standby.address;
  const standbys = [`postgres://${user}:${password}@${host}:${port}/${database}`];
  const configuration = { database: { standbys, standbyLagSeconds: 3600 } };
  service = await startTestService({ on: pair.cluster.address, configuration });
  ({ readThere, caughtUp, there } = watched(service));
  [reader, writer] = [await service.user(), await service.user()];
  const other = await service.user();
  const made = async (as: Actor, method: string, path: string, body?: object) => {
    const { status, json } = await service.call<{ id: string }>(method, path, { as, ...(body && { body }) });
    expect(status).toBeLessThan(300);
    return json.id;
  };
  const posts = [];
  for (let i = 0; i < 3; i++)
    posts.push(await made(writer, 'POST', '/v1/posts', { body: `At the lock, ${i} #lockside` }));
  const [post] = posts;
  const comment = await made(writer, 'POST', `/v1/posts/${post}/comments`, { body: 'Open at seven.' });
  for (let i = 0; i < 3; i++)
    await made(reader, 'POST', `/v1/posts/${post}/comments`, { body: `Thanks, ${i}`, parentId: comment });
  for (const as of [reader, other]) {
    await made(as, 'PUT', `/v1/posts/${post}/reaction`, { kind: 'like' });
    await made(as, 'PUT', `/v1/comments/${comment}/reaction`, { kind: 'like' });
    await made(as, 'PUT', `/v1/follows/${writer.id}`);
  }
  await made(writer, 'PUT', `/v1/follows/${other.id}`);
  await made(reader, 'PUT', `/v1/mutes/${other.id}`);
  await made(reader, 'PUT', `/v1/blocks/${(await service.user()).id}`);
  await made(reader, 'PUT', `/v1/posts/${post}/watch`);
  paths = {
    readFollowingFeed: '/v1/feeds/following?limit=2',
    countNewer: `/v1/feeds/following/newer?than=${(await service.call<{ first: string }>('GET', '/v1/feeds/following', { as: reader })).json.first}`,
    listPosts: '/v1/posts?limit=2',
    listUserPosts: `/v1/users/${writer.id}/posts?limit=2`,
    readUserAtom: `/v1/users/${writer.id}/posts.atom`,
    listComments: `/v1/posts/${post}/comments?limit=2&replies=1`,
    listReplies: `/v1/comments/${comment}/replies?limit=2`,
    listPostReactions: `/v1/posts/${post}/reactions?limit=1`,
    listCommentReactions: `/v1/comments/${comment}/reactions?limit=1`,
    listUsers: '/v1/users?limit=2',
    listFollowers: `/v1/users/${writer.id}/followers?limit=1`,
    listFollowing: `/v1/users/${writer.id}/following?limit=1`,
    listHashtags: '/v1/hashtags?q=lock',
    listLivelyHashtags: '/v1/hashtags/lively',
    listHashtagPosts: '/v1/hashtags/lockside/posts?limit=2&order=score',
    listWatches: '/v1/me/watches',
    listMutes: '/v1/mutes',
    listBlocks: '/v1/blocks',
  };
});
afterAll(async () => {
  await service.stop();
  await pair.stop();
});

const read = async (path: string, as: Actor | null, seen: string | null = null) => {
  const headers: Record<string, string> = seen === null ? {} : { 'gather-seen': seen };
  const { status, headers: said, json } = await service.call('GET', path, as === null ? { headers } : { as, headers });
  return { status, seen: said.get('gather-seen'), link: said.get('link'), json: { ...json, first: null, next: null } };
};

test('all that takes how far a caller has seen is tried here', async () => {
  const { json } = await service.call<{
    paths: Record<string, { get?: { operationId: string; parameters?: { name: string }[] } }>;
  }>('GET', '/v1/openapi.json');
  const takes = Object.values(json.paths).flatMap(({ get }) =>
    get?.parameters?.some(({ name }) => name === 'gather-seen') ? [get.operationId] : [],
  );
  expect(takes.sort()).toEqual(Object.keys(paths).sort());
});

test('a list is the same at both, read at the standby for who says what they have seen, and for nobody in particular', async () => {
  await caughtUp();
  for (const [operation, path] of Object.entries(paths)) {
    const before = readThere();
    const silent = await read(path, reader);
    expect([operation, silent.status, readThere() - before]).toEqual([operation, 200, 0]);
    let first = readThere();
    const told = await there(() => {
      first = readThere();
      return read(path, reader, '0/0');
    });
    expect([operation, readThere() - first >= (READS[operation] ?? 2)]).toEqual([operation, true]);
    expect([operation, told.json, told.link === null]).toEqual([operation, silent.json, silent.link === null]);
    for (const { seen } of operation === 'countNewer' ? [] : [silent, told])
      expect([operation, seen]).toEqual([operation, expect.stringMatching(/^[0-9A-F]+\/[0-9A-F]+$/)]);
    const anybody = (await read(path, null)).status === 200;
    if (anybody) await there(() => read(path, null));
    expect([operation, anybody]).toEqual([operation, !/^(read|count).*F|New|Watches|Mutes|Blocks/.test(operation)]);
  }
});

describe('while the standby replays nothing', () => {
  test('who wrote finds what they wrote, on every page; another reads what was there', async () => {
    await caughtUp();
    await pair.standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      const made = await service.call<{ id: string }>('POST', '/v1/posts', { as: writer, body: { body: 'Just now' } });
      const path = `/v1/users/${writer.id}/posts?limit=1`;
      const idsOf = ({ json }: { json: object }) => (json as { items: { id: string }[] }).items.map(({ id }) => id);
      const own = await read(path, writer, made.headers.get('gather-seen'));
      expect(idsOf(own)).toEqual([made.json.id]);
      // Whoever saw it there does not lose it again.
      expect(idsOf(await read(path, reader, own.seen))).toEqual([made.json.id]);
      const earlier = await there(() => read(path, reader, '0/0'));
      expect(idsOf(earlier)).not.toEqual([made.json.id]);
    } finally {
      await pair.standby.ask(`SELECT pg_wal_replay_resume()`);
    }
  });

  test('whether somebody may see whose list it is, is decided by what holds now', async () => {
    const stranger = await service.user();
    const { json: post } = await service.call<{ id: string }>('POST', '/v1/posts', {
      as: writer,
      body: { body: 'Gone soon' },
    });
    await caughtUp();
    await pair.standby.ask(`SELECT pg_wal_replay_pause()`);
    try {
      await service.call('PUT', `/v1/blocks/${stranger.id}`, { as: writer });
      await service.call('DELETE', `/v1/posts/${post.id}`, { as: writer });
      for (const path of [
        `/v1/users/${writer.id}/posts`,
        `/v1/users/${writer.id}/followers`,
        `/v1/posts/${post.id}/comments`,
      ])
        expect([path, (await read(path, stranger, '0/0')).status]).toEqual([path, 404]);
      expect((await read(`/v1/posts/${post.id}/reactions`, null)).status).toBe(404);
    } finally {
      await pair.standby.ask(`SELECT pg_wal_replay_resume()`);
    }
  });
});

test('a list whose standby is gone is read at the primary', async () => {
  await caughtUp();
  const wanted = await read(paths.listPosts!, reader);
  await pair.standby.stop();
  expect((await read(paths.listPosts!, reader, '0/0')).json).toEqual(wanted.json);
  expect((await read(paths.listPosts!, null)).json).toMatchObject({ items: expect.any(Array) });
});
