import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Posts } from './service.js';
import { Removals } from '../moderation/service.js';

interface Post {
  id: string;
  body: string;
  version: number;
  editedAt: string | null;
  createdAt: string;
  laneTime: string;
  can: { edit: boolean; delete: boolean };
}

let service: TestService;
let [owner, other]: [Actor, Actor] = [null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [owner, other] = [await service.user('owner_of_it'), await service.user('somebody_else')];
});
afterAll(() => service.stop());

const make = async (body = 'Moored below Candle Lock') =>
  (await service.call<Post>('POST', '/v1/posts', { as: owner, body: { body } })).json;
const stored = async (id: string) =>
  (
    await service.dataSource.query<{ body: string; version: number; deleted_at: Date | null }[]>(
      `SELECT body, version, deleted_at FROM posts WHERE id = $1`,
      [id],
    )
  )[0]!;
const MADE_UP = '0190a000-0000-7000-8000-00000000abcd';

describe('posting', () => {
  test('answers 201 with the post, its address and its ETag', async () => {
    const { status, json, headers } = await service.call<Post>('POST', '/v1/posts', {
      as: owner,
      body: { body: 'Tow offered #tow' },
    });
    expect(status).toBe(201);
    expect(json).toMatchObject({
      body: 'Tow offered #tow',
      author: { handle: 'owner_of_it' },
      editedAt: null,
      tallies: { comments: 0 },
      can: { edit: true, delete: true, withhold: false },
    });
    expect(json.laneTime).toBe(json.createdAt);
    expect(headers.get('location')).toBe(`${service.address}/v1/posts/${json.id}`);
    expect(headers.get('etag')).toBe('"1"');
  });

  test('the author is the caller, whatever the body says', async () => {
    const { status, json } = await service.call('POST', '/v1/posts', {
      as: owner,
      body: { body: 'x', authorId: other.id },
    });
    expect(status).toBe(422);
    expect(json).toMatchObject({ errors: [{ pointer: '/authorId' }] });
  });

  test('text is stored as it was sent', async () => {
    const body = `  <script>alert(1)</script>'; DROP TABLE posts; -- \u202eevil\u202c\n\t"quotes" 👨‍👩‍👧‍👦 `;
    expect((await make(body)).body).toBe(body);
  });

  test.each([
    ['nothing', { body: '' }, 422],
    ['white space', { body: '\n \t' }, 422],
    ['601 characters', { body: '🛶'.repeat(601) }, 422],
    ['too many code points', { body: 'e' + '\u0301'.repeat(4_000) }, 422],
    ['NUL', { body: 'a\0b' }, 422],
    ['a number', { body: 5 }, 422],
    ['null', { body: null }, 422],
    ['no body property', {}, 422],
    ['a list', [], 422],
    ['a lone surrogate', '{"body":"a\\ud800"}', 422],
    ['JSON cut short', '{"body":', 400],
    ['a prototype', '{"body":"x","__proto__":{"a":1}}', 400],
  ])('%s is refused and makes no post', async (_, body, status) => {
    const count = async () => (await service.dataSource.query<unknown[]>(`SELECT FROM posts`)).length;
    const before = await count();
    expect((await service.call('POST', '/v1/posts', { as: owner, body })).status).toBe(status);
    expect(await count()).toBe(before);
  });

  test('600 characters fit, however many code points each has', async () => {
    expect((await service.call('POST', '/v1/posts', { as: owner, body: { body: '🚣🏽'.repeat(600) } })).status).toBe(201);
  });

  test('another media type answers 415, a huge body 413', async () => {
    expect(
      (
        await service.call('POST', '/v1/posts', {
          as: owner,
          body: 'body=x',
          headers: { 'content-type': 'application/x-www-form-urlencoded' },
        })
      ).status,
    ).toBe(415);
    expect((await service.call('POST', '/v1/posts', { as: owner, body: { body: 'x'.repeat(300_000) } })).status).toBe(
      413,
    );
  });
});

describe('ownership', () => {
  test('a second user gets 403 not-yours for PATCH and DELETE, and the post stands as it was', async () => {
    const { id } = await make();
    const before = await stored(id);
    for (const [method, body] of [
      ['PATCH', { body: 'mine now' }],
      ['DELETE', undefined],
    ] as const) {
      const { status, json } = await service.call<{ type: string }>(method, `/v1/posts/${id}`, { as: other, body });
      expect(status).toBe(403);
      expect(json.type).toMatch(/\/docs\/problems\/not-yours$/);
    }
    expect(await stored(id)).toEqual(before);
  });

  test('a made-up id gets 404, a malformed one 400, no token 401, the operator 403', async () => {
    const { id } = await make();
    const edit = (path: string, as?: Actor | string) =>
      service.call('PATCH', `/v1/posts/${path}`, { ...(as && { as }), body: { body: 'x' } });
    expect((await edit(MADE_UP, owner)).status).toBe(404);
    expect((await edit('not-an-id', owner)).status).toBe(400);
    expect((await edit(id)).status).toBe(401);
    expect((await edit(id, service.operatorKey)).status).toBe(403);
    expect((await stored(id)).version).toBe(1);
  });

  test('who may not is told so before the body is looked at', async () => {
    const { id } = await make();
    expect((await service.call('PATCH', `/v1/posts/${id}`, { as: other, body: { nonsense: true } })).status).toBe(403);
  });

  test('the write itself repeats the decision: it holds without any doorway', async () => {
    const { id } = await make();
    const intruder = { kind: 'user', id: other.id } as const;
    await expect(service.house.get(Posts).edit(id, intruder, { body: 'slipped in' }, undefined)).rejects.toMatchObject({
      code: 'not-yours',
    });
    await expect(service.house.get(Removals).delete('post', id, intruder, {})).rejects.toMatchObject({
      code: 'not-yours',
    });
    expect(await stored(id)).toMatchObject({ body: 'Moored below Candle Lock', deleted_at: null });
  });

  test('a delete during an edit: the edit finds nothing there', async () => {
    const { id } = await make();
    const me = { kind: 'user', id: owner.id } as const;
    await service.house.get(Removals).delete('post', id, me, {});
    await expect(service.house.get(Posts).edit(id, me, { body: 'too late' }, undefined)).rejects.toMatchObject({
      code: 'not-found',
    });
  });
});

describe('reading, editing and deleting', () => {
  test('anybody reads; `can` says what the caller may do', async () => {
    const { id } = await make();
    expect((await service.call<Post>('GET', `/v1/posts/${id}`)).json.can).toEqual({
      edit: false,
      delete: false,
      withhold: false,
    });
    expect((await service.call<Post>('GET', `/v1/posts/${id}`, { as: other })).json.can).toEqual({
      edit: false,
      delete: false,
      withhold: false,
    });
    expect((await service.call<Post>('GET', `/v1/posts/${id}`, { as: owner })).json.can).toEqual({
      edit: true,
      delete: true,
      withhold: false,
    });
  });

  test('an edit changes text and version, marks it edited, and leaves its place alone', async () => {
    const post = await make();
    const { json, headers } = await service.call<Post>('PATCH', `/v1/posts/${post.id}`, {
      as: owner,
      body: { body: 'Moved on' },
    });
    expect(json).toMatchObject({ body: 'Moved on', version: 2, createdAt: post.createdAt, laneTime: post.laneTime });
    expect(Date.parse(json.editedAt!)).toBeGreaterThanOrEqual(Date.parse(post.createdAt));
    expect(headers.get('etag')).toBe('"2"');
  });

  test('of two edits with the same ETag one wins and the other is told', async () => {
    const { id } = await make();
    const edit = (body: string) =>
      service.call('PATCH', `/v1/posts/${id}`, { as: owner, body: { body }, headers: { 'if-match': '"1"' } });
    const replies = await Promise.all(['one', 'two', 'three'].map(edit));
    expect(replies.map((reply) => reply.status).sort()).toEqual([200, 412, 412]);
    expect((await stored(id)).version).toBe(2);
    expect(
      (await service.call('DELETE', `/v1/posts/${id}`, { as: owner, headers: { 'if-match': '"1"' } })).status,
    ).toBe(412);
    expect(
      (await service.call('DELETE', `/v1/posts/${id}`, { as: owner, headers: { 'if-match': 'W/"x"' } })).status,
    ).toBe(412);
  });

  test('edits without an ETag that come at once are done one after the other, and none of them bricks it', async () => {
    const { id } = await make();
    const edit = (body: string) => service.call<Post>('PATCH', `/v1/posts/${id}`, { as: owner, body: { body } });
    for (let round = 0; round < 4; round++) {
      const replies = await Promise.all(['one', 'two', 'three', 'four'].map((text) => edit(`${text} of ${round}`)));
      expect(replies.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
      // A reply shows the post as it is by then, another's edit after it too.
      expect(Math.max(...replies.map(({ json }) => json.version))).toBe(1 + 4 * (round + 1));
    }
    expect((await stored(id)).version).toBe(17);
    expect((await edit('and once more')).status).toBe(200);
    const versions = await service.dataSource.query<{ version: number }[]>(
      `SELECT version FROM post_versions WHERE post_id = $1 ORDER BY version`,
      [id],
    );
    expect(versions.map(({ version }) => version)).toEqual(Array.from({ length: 17 }, (_, i) => i + 1));
  });

  test('a deleted post is gone for everybody, and cannot be deleted again', async () => {
    const { id } = await make();
    expect((await service.call('DELETE', `/v1/posts/${id}`, { as: owner })).status).toBe(204);
    for (const method of ['GET', 'DELETE'])
      expect((await service.call(method, `/v1/posts/${id}`, { as: owner })).status).toBe(404);
    expect((await service.call('GET', `/v1/posts/${id}/comments`)).status).toBe(404);
  });
});

describe('lists', () => {
  test('everybody’s and one author’s, newest and oldest first, page by page without gap or repeat', async () => {
    const lists = await startTestService();
    const [a, b] = [await lists.user(), await lists.user()];
    const made: { id: string; author: string }[] = [];
    for (let i = 0; i < 23; i++) {
      const as = i % 3 === 0 ? b : a;
      made.push({
        id: (await lists.call<Post>('POST', '/v1/posts', { as, body: { body: `post ${i}` } })).json.id,
        author: as.id,
      });
    }
    // Ties in time are told apart by id.
    await lists.dataSource.query(`UPDATE posts SET created_at = date_trunc('second', created_at)`);
    const expected = await lists.dataSource.query<{ id: string; author_id: string }[]>(
      `SELECT id, author_id FROM posts ORDER BY created_at DESC, id DESC`,
    );
    const readAll = async (path: string) => {
      const ids: string[] = [];
      let url: string | null = path;
      while (url) {
        const reply: { json: { items: Post[] }; headers: Headers } = await lists.call<{ items: Post[] }>('GET', url);
        ids.push(...reply.json.items.map((post) => post.id));
        url = /<([^>]+)>; rel="next"/.exec(reply.headers.get('link') ?? '')?.[1]?.replace(lists.address, '') ?? null;
      }
      return ids;
    };
    const ids = expected.map((row) => row.id);
    const ofA = expected.filter((row) => row.author_id === a.id).map((row) => row.id);
    expect(await readAll('/v1/posts?limit=5')).toEqual(ids);
    expect(await readAll('/v1/posts?limit=23')).toEqual(ids);
    expect(await readAll('/v1/posts?limit=4&sort=oldest')).toEqual([...ids].reverse());
    expect(await readAll(`/v1/users/${a.id}/posts?limit=7`)).toEqual(ofA);
    await lists.stop();
  });

  test('a cursor of another list, order or making is a 400 problem', async () => {
    for (let i = 0; i < 3; i++) await make();
    const { next } = (await service.call<{ next: string }>('GET', '/v1/posts?limit=1')).json;
    for (const url of [
      `/v1/posts?sort=oldest&after=${next}`,
      `/v1/users/${owner.id}/posts?after=${next}`,
      `/v1/posts?after=${next.slice(0, -1)}`,
      '/v1/posts?after=zzz',
    ])
      expect(await service.call('GET', url)).toMatchObject({
        status: 400,
        json: { title: 'The cursor is not one of ours' },
      });
    for (const limit of ['0', '101', 'many', '1.5', '-1'])
      expect((await service.call('GET', `/v1/posts?limit=${limit}`)).status).toBe(400);
  });
});
