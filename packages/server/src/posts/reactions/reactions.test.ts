import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { FIRST_WEIGHTING, laneTime } from '@gather-lane/core';
import { checkData } from '../../workbench/check/service.js';
import { createDataSource } from '../../service/data-source.js';
import { Cursors } from '../../ground/http/cursors.js';
import { Pages } from '../../ground/http/pagination.js';
import { addComments, addPosts, addUsers, dice } from '../../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Reactions } from './service.js';
import { PLAN } from '../../service/capabilities.js';

interface Tallies {
  comments: number;
  reactions: Record<string, number>;
  net: number;
}
interface Reacted {
  changed: boolean;
  reaction: string | null;
  tallies: Tallies;
  laneTime: string;
}
interface Post {
  id: string;
  createdAt: string;
  laneTime: string;
  reaction: string | null;
  tallies: Tallies;
}

let service: TestService;
let [author, reader, other]: [Actor, Actor, Actor] = [null!, null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [author, reader, other] = [await service.user(), await service.user(), await service.user()];
});
afterAll(() => service.stop());

const makePost = async () =>
  (await service.call<Post>('POST', '/v1/posts', { as: author, body: { body: 'A tow, anybody?' } })).json;
const react = (post: string, kind: string | null, as: Actor = reader) =>
  kind === null
    ? service.call<Reacted>('DELETE', `/v1/posts/${post}/reaction`, { as })
    : service.call<Reacted>('PUT', `/v1/posts/${post}/reaction`, { as, body: { kind } });
const read = async (post: string, as: Actor = reader) =>
  (await service.call<Post>('GET', `/v1/posts/${post}`, { as })).json;
const wrong = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })).filter(
    ({ count }) => count > 0,
  );

describe('a reaction to a post', () => {
  test('counts once, moves to another kind, and goes; each reply has the new counts and lane time', async () => {
    const { id, createdAt } = await makePost();
    const stands = (people: Record<string, number>) =>
      new Date(laneTime(Date.parse(createdAt), FIRST_WEIGHTING, people)).toISOString();
    const told = async (kind: string | null) => (await react(id, kind)).json;
    expect(await told('like')).toEqual({
      postId: id,
      changed: true,
      reaction: 'like',
      tallies: { comments: 0, reactions: { like: 1 }, net: 1 },
      laneTime: stands({ like: 1 }),
    });
    expect(await told('like')).toMatchObject({ changed: false, tallies: { reactions: { like: 1 } } });
    expect(await told('dislike')).toMatchObject({
      changed: true,
      reaction: 'dislike',
      tallies: { reactions: { dislike: 1 }, net: -1 },
      laneTime: stands({ dislike: 1 }),
    });
    expect(await read(id)).toMatchObject({
      reaction: 'dislike',
      tallies: { net: -1 },
      laneTime: stands({ dislike: 1 }),
    });
    expect(await told(null)).toMatchObject({
      changed: true,
      reaction: null,
      tallies: { reactions: {}, net: 0 },
      laneTime: createdAt,
    });
    expect(await told(null)).toMatchObject({ changed: false });
    expect(await wrong()).toEqual([]);
  });

  test('by its author is counted for all to see, and lifts nothing', async () => {
    const { id, createdAt } = await makePost();
    expect((await react(id, 'like', author)).json).toMatchObject({
      tallies: { reactions: { like: 1 } },
      laneTime: createdAt,
    });
    expect((await react(id, 'like')).json.laneTime > createdAt).toBe(true);
    await react(id, 'dislike', author);
    expect(await read(id)).toMatchObject({
      tallies: { reactions: { dislike: 1, like: 1 }, net: 0 },
      laneTime: new Date(laneTime(Date.parse(createdAt), FIRST_WEIGHTING, { like: 1 })).toISOString(),
    });
    expect(await wrong()).toEqual([]);
  });

  test('comes with the post out of every list, as does that of its author, and is gone from them when taken back', async () => {
    const { id } = await makePost();
    await service.call('PUT', `/v1/follows/${author.id}`, { as: reader });
    const shown = async (as: Actor) => {
      const found = [(await read(id, as)).reaction];
      for (const list of [
        '/v1/posts',
        `/v1/users/${author.id}/posts`,
        '/v1/feeds/following',
        '/v1/feeds/following?order=score',
        '/v1/feeds/following?order=score&place=true',
      ]) {
        const { json } = await service.call<{ items: Post[] }>('GET', list, { as });
        found.push(json.items.find((post) => post.id === id)!.reaction);
      }
      return [...new Set(found)];
    };
    for (const [as, kind] of [
      [author, 'like'],
      [reader, 'dislike'],
      [author, null],
      [reader, null],
    ] as const) {
      await react(id, kind, as);
      expect([kind, await shown(as)]).toEqual([kind, [kind]]);
    }
    expect(await shown(author)).toEqual([null]);
  });

  test('is listed with who and when, newest first, by kind, page by page', async () => {
    const { id } = await makePost();
    for (const [as, kind] of [
      [author, 'like'],
      [reader, 'dislike'],
      [other, 'like'],
    ] as const)
      await react(id, kind, as);
    const list = async (query: string) =>
      (
        await service.call<{ items: { user: { id: string }; kind: string }[]; next: string | null }>(
          'GET',
          `/v1/posts/${id}/reactions?${query}`,
        )
      ).json;
    const all = await list('limit=2');
    expect(all.items.map(({ user, kind }) => [user.id, kind])).toEqual([
      [other.id, 'like'],
      [reader.id, 'dislike'],
    ]);
    expect((await list(`limit=2&after=${all.next}`)).items.map(({ user }) => user.id)).toEqual([author.id]);
    expect((await list('kind=like')).items.map(({ user }) => user.id)).toEqual([other.id, author.id]);
  });

  test('needs a configured kind, a signed-in caller and a post that is there for them', async () => {
    const { id } = await makePost();
    const unknown = await service.call<{ errors: unknown[] }>('PUT', `/v1/posts/${id}/reaction`, {
      as: reader,
      body: { kind: 'hug' },
    });
    expect([unknown.status, unknown.json.errors]).toEqual([
      422,
      [{ pointer: '/kind', detail: 'must be one of like, dislike' }],
    ]);
    expect((await service.call('PUT', `/v1/posts/${id}/reaction`, { body: { kind: 'like' } })).status).toBe(401);
    await service.call('PUT', `/v1/blocks/${reader.id}`, { as: author });
    expect((await react(id, 'like')).status).toBe(404);
    await service.call('DELETE', `/v1/blocks/${reader.id}`, { as: author });
    await service.call('DELETE', `/v1/posts/${id}`, { as: author });
    for (const kind of ['like', null]) expect((await react(id, kind)).status).toBe(404);
    expect((await service.call('GET', `/v1/posts/${id}/reactions`)).status).toBe(404);
  });

  test('comes back with a post that was deleted and restored, as it was', async () => {
    const { id } = await makePost();
    const { laneTime: before } = (await react(id, 'like')).json;
    await service.call('DELETE', `/v1/posts/${id}`, { as: author });
    await service.call('POST', `/v1/posts/${id}/restore`, { as: author, body: {} });
    expect(await read(id)).toMatchObject({ reaction: 'like', laneTime: before, tallies: { reactions: { like: 1 } } });
  });
});

describe('a reaction to a comment', () => {
  test('is counted and shown, and lifts neither the comment nor the post', async () => {
    const { id, laneTime: before } = await makePost();
    const [comment] = await addComments(service, [{ post: id, author: author.id }]);
    const at = `/v1/comments/${comment}`;
    const put = await service.call('PUT', `${at}/reaction`, { as: reader, body: { kind: 'like' } });
    expect(put.json).toEqual({
      commentId: comment,
      changed: true,
      reaction: 'like',
      tallies: { reactions: { like: 1 }, net: 1 },
    });
    const { json } = await service.call<{ items: unknown[] }>('GET', `/v1/posts/${id}/comments`, { as: reader });
    expect(json.items).toMatchObject([{ reaction: 'like', tallies: { reactions: { like: 1 }, net: 1 } }]);
    expect((await read(id)).laneTime).toBe(before);
    expect((await service.call<{ items: unknown[] }>('GET', `${at}/reactions`)).json.items).toHaveLength(1);
    const gone = await service.call('DELETE', `${at}/reaction`, { as: reader });
    expect(gone.json).toMatchObject({ changed: true, reaction: null, tallies: { reactions: {}, net: 0 } });
    await service.call('DELETE', `/v1/posts/${id}`, { as: author });
    expect((await service.call('PUT', `${at}/reaction`, { as: reader, body: { kind: 'like' } })).status).toBe(404);
    expect(await wrong()).toEqual([]);
  });
});

describe('kinds of reaction', () => {
  test('are the configured ones, with what the weighting says of them', async () => {
    const custom = await startTestService({ configuration: { reactions: [{ name: 'thanks', label: 'Thank you' }] } });
    try {
      const who = await custom.user();
      const [post] = await addPosts(custom, [{ author: (await custom.user()).id, secondsAgo: 5 }]);
      const put = (kind: string) =>
        custom.call<Reacted>('PUT', `/v1/posts/${post}/reaction`, { as: who, body: { kind } });
      expect((await put('like')).status).toBe(422);
      // Without a weight it is counted, and lifts nothing.
      expect((await put('thanks')).json).toMatchObject({ tallies: { reactions: { thanks: 1 }, net: 0 } });
      const { json } = await custom.call<{ reactions: unknown }>('GET', '/v1/about');
      expect(json.reactions).toEqual([{ name: 'thanks', label: 'Thank you' }]);
    } finally {
      await custom.stop();
    }
  });
});

describe('under load', () => {
  test('two processes on one hot post and some others stay exact, deadlock-free, and write many acts at once', async () => {
    const [hot, ...cold] = await addPosts(
      service,
      Array.from({ length: 6 }, () => ({ author: author.id, secondsAgo: 60 })),
    );
    const people = await addUsers(service, 60, 'crowd');
    const second = createDataSource(service.database, { poolSize: 4 });
    await second.initialize();
    const processes = [
      service.house.get(Reactions),
      new Reactions(second, new Pages(new Cursors(second)), service.house.address),
    ];
    const statistics = async () =>
      (
        await service.dataSource.query<[{ deadlocks: string }]>(
          `SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()`,
        )
      )[0].deadlocks;
    const before = await statistics();
    const { pick, chance } = dice(17);
    const last = new Map<string, string | null>();
    const act = async (person: string, n: number) => {
      for (let i = 0; i < 12; i++) {
        const post = chance(0.7) ? hot! : pick(cold);
        const kind = chance(0.25) ? null : chance(0.8) ? 'like' : 'dislike';
        const told = await processes[(n + i) % 2]!.onPost(post, person, kind);
        expect(told.reaction).toBe(kind);
        last.set(`${post} ${person}`, kind);
      }
    };
    const comment = async () => {
      for (let i = 0; i < 10; i++)
        await service.call('POST', `/v1/posts/${hot}/comments`, { as: reader, body: { body: 'In between' } });
    };
    await Promise.all([...people.map(act), comment()]);
    const rows = await service.dataSource.query<{ key: string; kind: string }[]>(
      `SELECT post_id || ' ' || user_id AS key, kind FROM reactions WHERE user_id = ANY ($1)`,
      [people],
    );
    const wanted = [...last].filter(([, kind]) => kind !== null).sort();
    expect(rows.map(({ key, kind }) => [key, kind]).sort()).toEqual(wanted);
    expect(await wrong()).toEqual([]);
    await service.dataSource.query(`SELECT pg_stat_clear_snapshot()`);
    expect(await statistics()).toBe(before);
    await second.destroy();
  });

  test('one act that fails fails alone: the others of its batch are done', async () => {
    const { id } = await makePost();
    const nobody = '01900000-0000-7000-8000-000000000000';
    const reactions = service.house.get(Reactions);
    const settled = await Promise.allSettled([
      reactions.onPost(id, reader.id, 'like'),
      reactions.onPost(id, other.id, 'Not A Kind'),
      reactions.onPost(nobody, reader.id, 'like'),
      reactions.onPost(id, author.id, 'dislike'),
    ]);
    expect(settled.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'rejected', 'fulfilled']);
    expect((await read(id)).tallies.reactions).toEqual({ dislike: 1, like: 1 });
  });
});
