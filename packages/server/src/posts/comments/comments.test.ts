import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Comments } from './service.js';
import { Removals } from '../moderation/service.js';

interface Comment {
  id: string;
  parentId: string | null;
  body: string;
  can: { edit: boolean; delete: boolean };
}
interface Page {
  items: Comment[];
  next: string | null;
}

let service: TestService;
let [author, reader]: [Actor, Actor] = [null!, null!];
let post = '';
beforeAll(async () => {
  service = await startTestService();
  [author, reader] = [await service.user(), await service.user()];
  post = await makePost();
});
afterAll(() => service.stop());

const makePost = async () =>
  (await service.call<{ id: string }>('POST', '/v1/posts', { as: author, body: { body: 'A tow, anybody?' } })).json.id;
const say = async (body: string, more: object = {}, on = post) =>
  service.call<Comment>('POST', `/v1/posts/${on}/comments`, { as: reader, body: { body, ...more } });

describe('comments', () => {
  test('are made, answered, edited and deleted by their author', async () => {
    const first = await say('We can do that.');
    expect(first.status).toBe(201);
    expect(first.json).toMatchObject({
      postId: post,
      parentId: null,
      body: 'We can do that.',
      can: { edit: true, delete: true },
    });
    const answer = await say('And we.', { parentId: first.json.id });
    expect(answer.json.parentId).toBe(first.json.id);
    const path = `/v1/comments/${answer.json.id}`;
    expect((await service.call('PATCH', path, { as: reader, body: { body: 'So do we.' } })).json).toMatchObject({
      body: 'So do we.',
      version: 2,
    });
    expect((await service.call('DELETE', path, { as: reader })).status).toBe(204);
    expect((await service.call('GET', path)).status).toBe(404);
  });

  test('a comment of somebody else: 403, made-up 404, nobody 401, stale 412, and it stands as it was', async () => {
    const { id } = (await say('Mine')).json;
    const edit = (path: string, sent: object) =>
      service.call('PATCH', `/v1/comments/${path}`, { body: { body: 'x' }, ...sent });
    expect((await edit(id, { as: author })).status).toBe(403);
    expect((await service.call('DELETE', `/v1/comments/${id}`, { as: author })).status).toBe(403);
    expect((await edit('0190a000-0000-7000-8000-00000000abcd', { as: reader })).status).toBe(404);
    expect((await edit(id, {})).status).toBe(401);
    expect((await edit(id, { as: reader, headers: { 'if-match': '"7"' } })).status).toBe(412);
    expect((await service.call('GET', `/v1/comments/${id}`)).json).toMatchObject({ body: 'Mine', version: 1 });
  });

  test('the write itself repeats the decision', async () => {
    const { id } = (await say('Mine too')).json;
    const intruder = { kind: 'user', id: author.id } as const;
    await expect(service.house.get(Comments).edit(id, intruder, { body: 'x' }, undefined)).rejects.toMatchObject({
      code: 'not-yours',
    });
    await expect(service.house.get(Removals).delete('comment', id, intruder, {})).rejects.toMatchObject({
      code: 'not-yours',
    });
  });

  test('the parent is a visible comment of the same post', async () => {
    const elsewhere = (await say('On another post', {}, await makePost())).json.id;
    const gone = (await say('Soon gone')).json.id;
    await service.call('DELETE', `/v1/comments/${gone}`, { as: reader });
    for (const parentId of [elsewhere, gone, '0190a000-0000-7000-8000-00000000abcd'])
      expect(await say('Answer', { parentId })).toMatchObject({
        status: 422,
        json: { errors: [{ pointer: '/parentId' }] },
      });
    expect((await say('Answer', { parentId: 'nonsense' })).status).toBe(422);
  });

  test('edits at once without an ETag are all done', async () => {
    const { id } = (await say('As it was')).json;
    const edit = (body: string) => service.call('PATCH', `/v1/comments/${id}`, { as: reader, body: { body } });
    const replies = await Promise.all(['one', 'two', 'three', 'four'].map(edit));
    expect(replies.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    expect((await service.call('GET', `/v1/comments/${id}`)).json.version).toBe(5);
  });

  test('401 characters, nothing, and unknown properties are refused', async () => {
    for (const body of ['x'.repeat(401), '', ' ']) expect((await say(body)).status).toBe(422);
    expect((await say('x', { postId: post })).status).toBe(422);
  });

  test('under a deleted post nothing is there: no list, no comment, no editing, no new ones', async () => {
    const doomed = await makePost();
    const { id } = (await say('Under it', {}, doomed)).json;
    await service.call('DELETE', `/v1/posts/${doomed}`, { as: author });
    expect((await service.call('GET', `/v1/posts/${doomed}/comments`)).status).toBe(404);
    expect((await service.call('GET', `/v1/comments/${id}`)).status).toBe(404);
    expect((await service.call('PATCH', `/v1/comments/${id}`, { as: reader, body: { body: 'x' } })).status).toBe(404);
    expect((await service.call('DELETE', `/v1/comments/${id}`, { as: reader })).status).toBe(404);
    expect((await say('Late', {}, doomed)).status).toBe(404);
  });

  test('are listed newest first, or oldest, page by page', async () => {
    const on = await makePost();
    const ids: string[] = [];
    for (let i = 0; i < 7; i++) ids.push((await say(`n ${i}`, {}, on)).json.id);
    const read = async (sort: string) => {
      const seen: string[] = [];
      let next: string | null = null;
      do {
        const page: Page = (
          await service.call<Page>(
            'GET',
            `/v1/posts/${on}/comments?limit=3&sort=${sort}${next ? `&after=${next}` : ''}`,
          )
        ).json;
        seen.push(...page.items.map((comment) => comment.id));
        next = page.next;
      } while (next);
      return seen;
    };
    expect(await read('oldest')).toEqual(ids);
    expect(await read('newest')).toEqual([...ids].reverse());
  });
});
