import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { PLAN } from '../../service/capabilities.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { checkData } from '../../workbench/check/service.js';

let service: TestService;
let people: Actor[];
beforeAll(async () => {
  service = await startTestService({
    model: { comments: { fields: { berth: { type: 'integer', minimum: 1, maximum: 99 } } } },
  });
  people = await Promise.all(Array.from({ length: 12 }, () => service.user()));
});
afterAll(() => service.stop());

interface Made {
  id: string;
  body: string;
  parentId: string | null;
  fields: { berth?: number | null };
}
const post = async (as: Actor) =>
  (await service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body: 'Room for one more?' } })).json.id;
const say = (as: Actor, postId: string, body: object, key?: string) =>
  service.call<Made>('POST', `/v1/posts/${postId}/comments`, {
    as,
    body,
    ...(key !== undefined && { headers: { 'idempotency-key': key } }),
  });
const codeOf = ({ json }: { json: object }) =>
  String((json as { type?: string }).type)
    .split('/')
    .at(-1);
const findings = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })).filter(
    ({ count }) => count > 0,
  );
const transactions = async () => {
  await service.dataSource.query(`SELECT pg_stat_clear_snapshot()`);
  const [{ n }] = await service.dataSource.query<[{ n: number }]>(
    `SELECT count(DISTINCT xmin::text)::integer AS n FROM comments`,
  );
  return n;
};

describe('comments that come at the same time', () => {
  test('are each answered for themselves: the bad ones fail alone, and nothing of them stays', async () => {
    const [author, blocked, ...others] = people as [Actor, Actor, ...Actor[]];
    const [here, there] = [await post(author), await post(others[0]!)];
    await service.call('PUT', `/v1/blocks/${blocked.id}`, { as: author });
    const { json: answered } = await say(others[1]!, here, { body: 'The first' });
    const gone = '019e0000-0000-7000-8000-000000000000';
    const replies = await Promise.all([
      ...others.map((as, i) => say(as, here, { body: `Word ${i}` })),
      ...others.map((as, i) => say(as, there, { body: `Answer ${i}`, ...(i % 2 && { fields: { berth: i } }) })),
      say(others[2]!, here, { body: 'Under it', parentId: answered.id }),
      say(blocked, here, { body: 'Kept out' }, 'kept-out'),
      say(others[3]!, gone, { body: 'To nobody' }, 'nobody'),
      say(others[4]!, there, { body: 'To what is elsewhere', parentId: answered.id }),
      say(others[5]!, here, { body: 'Beyond the quay', fields: { berth: 100 } }),
    ]);
    const good = replies.slice(0, 2 * others.length + 1);
    expect(good.map(({ status }) => status)).toEqual(good.map(() => 201));
    expect(good.map(({ json }) => json.body)).toEqual([
      ...others.map((_, i) => `Word ${i}`),
      ...others.map((_, i) => `Answer ${i}`),
      'Under it',
    ]);
    expect(good[others.length + 3]!.json.fields).toEqual({ berth: 3 });
    expect(good.at(-1)!.json.parentId).toBe(answered.id);
    expect(replies.slice(good.length).map((reply) => [reply.status, codeOf(reply)])).toEqual([
      [404, 'not-found'],
      [404, 'not-found'],
      [422, 'invalid'],
      [422, 'invalid'],
    ]);
    for (const [postId, comments] of [
      [here, others.length + 2],
      [there, others.length],
    ] as const) {
      const { json } = await service.call<{ tallies: { comments: number } }>('GET', `/v1/posts/${postId}`);
      expect(json.tallies.comments).toBe(comments);
    }
    // Their keys are free again.
    const keys = await service.dataSource.query<unknown[]>(
      `SELECT key FROM repeatable_calls WHERE key IN ('kept-out', 'nobody')`,
    );
    expect(keys).toEqual([]);
    expect(await findings()).toEqual([]);
  });

  test('share transactions', async () => {
    const quiet = await post(people[0]!);
    const before = await transactions();
    const replies = await Promise.all(
      Array.from({ length: 48 }, (_, i) => say(people[2 + (i % 6)]!, quiet, { body: `${i}` })),
    );
    expect(replies.every(({ status }) => status === 201)).toBe(true);
    expect((await transactions()) - before).toBeLessThan(24);
    expect(await findings()).toEqual([]);
  });

  test('with one key are one comment, whoever else comments beside; with other content one is refused', async () => {
    const place = await post(people[0]!);
    const [as, other] = [people[2]!, people[3]!];
    const replies = await Promise.all([
      ...Array.from({ length: 5 }, () => say(as, place, { body: 'Once' }, 'once')),
      say(other, place, { body: 'Beside' }, 'once'),
      say(other, place, { body: 'Also beside' }),
    ]);
    expect(replies.map(({ status }) => status)).toEqual(replies.map(() => 201));
    expect(new Set(replies.slice(0, 5).map(({ json }) => JSON.stringify(json))).size).toBe(1);
    const mixed = await Promise.all([
      say(as, place, { body: 'Once' }, 'once'),
      say(as, place, { body: 'Something else' }, 'once'),
      say(other, place, { body: 'A third' }),
    ]);
    expect(mixed.map(({ status }) => status)).toEqual([201, 422, 201]);
    expect(codeOf(mixed[1]!)).toBe('other-content');
    const [{ n }] = await service.dataSource.query<[{ n: number }]>(
      `SELECT count(*)::integer AS n FROM comments WHERE post_id = $1`,
      [place],
    );
    expect(n).toBe(4);
  });

  test('beside a block, and beside the end of their post, are made or not there; nothing is counted wrong', async () => {
    const [author, stranger, other] = [await service.user(), await service.user(), await service.user()];
    for (let round = 0; round < 5; round++) {
      const [kept, ended] = [await post(author), await post(author)];
      const replies = await Promise.all([
        ...Array.from({ length: 4 }, () => say(stranger, kept, { body: 'Before the door shuts' })),
        service.call('PUT', `/v1/blocks/${stranger.id}`, { as: author }),
        ...Array.from({ length: 4 }, () => say(other, ended, { body: 'Before it goes' })),
        service.call('DELETE', `/v1/posts/${ended}`, { as: author }),
      ]);
      const said = replies.filter((_, i) => i !== 4 && i !== 9);
      expect(said.filter(({ status }) => status !== 201 && status !== 404)).toEqual([]);
      expect((await say(stranger, kept, { body: 'After' })).status).toBe(404);
      expect((await say(other, ended, { body: 'After' })).status).toBe(404);
      await service.call('DELETE', `/v1/blocks/${stranger.id}`, { as: author });
    }
    expect(await findings()).toEqual([]);
  });

  test('tell those who watch of each other, and the author once for each', async () => {
    const [author, first, second] = [await service.user(), await service.user(), await service.user()];
    const place = await post(author);
    await Promise.all([
      say(first, place, { body: `Hello @${second.handle}` }),
      say(second, place, { body: 'Hello all' }),
    ]);
    const told = async (as: Actor) =>
      (
        await service.call<{ items: { kind: string; count: number }[] }>('GET', '/v1/notifications', { as })
      ).json.items.map(({ kind }) => kind);
    expect(await told(author)).toEqual(['commented']);
    expect(await told(second)).toContain('mentioned');
  });
});

describe('posts that come at the same time', () => {
  test('are each answered for themselves; pictures that are not theirs fail alone', async () => {
    const make = (as: Actor, body: object, key?: string) =>
      service.call<{ id: string; body: string }>('POST', '/v1/posts', {
        as,
        body,
        ...(key !== undefined && { headers: { 'idempotency-key': key } }),
      });
    const count = async () =>
      (await service.dataSource.query<[{ n: number }]>(`SELECT count(*)::integer AS n FROM posts`))[0].n;
    const before = await count();
    const replies = await Promise.all([
      ...people.map((as, i) => make(as, { body: `Post ${i} #moorings @${people[(i + 1) % 12]!.handle}` })),
      make(people[0]!, { body: 'With a stranger’s picture', media: [{ id: people[1]!.id }] }, 'picture'),
      ...Array.from({ length: 3 }, () => make(people[1]!, { body: 'Once' }, 'post-once')),
    ]);
    expect(replies.map(({ status }) => status)).toEqual([...people.map(() => 201), 422, 201, 201, 201]);
    expect(replies.slice(0, 12).map(({ json }) => json.body.slice(0, 7).trim())).toEqual(
      people.map((_, i) => `Post ${i}`),
    );
    expect(new Set(replies.slice(13).map(({ json }) => json.id)).size).toBe(1);
    expect(await count()).toBe(before + 13);
    expect((await make(people[0]!, { body: 'Without' }, 'picture')).status).toBe(201);
    expect(await findings()).toEqual([]);
  });
});
