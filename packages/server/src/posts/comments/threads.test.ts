import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { AccountDeletion } from '../../accounts/users/deletion/service.js';
import { PLAN } from '../../service/capabilities.js';
import { Watches } from '../watches/service.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { checkData } from '../../workbench/check/service.js';
import { Removals } from '../moderation/service.js';
import type { CommentView, ThreadView } from './schema.js';

interface Page {
  items: ThreadView[];
  next: string | null;
}

let service: TestService;
let author: Actor;
let [one, two, three]: [Actor, Actor, Actor] = [null!, null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [author, one, two, three] = [
    await service.user(),
    await service.user('odile'),
    await service.user('bram'),
    await service.user('wren'),
  ];
});
afterAll(() => service.stop());

const makePost = async (as = author) =>
  (await service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body: 'Who has seen the windlass?' } })).json
    .id;
const say = async (as: Actor, post: string, body: string, parentId?: string) => {
  const sent = { as, body: { body, ...(parentId && { parentId }) } };
  const { status, json } = await service.call<CommentView>('POST', `/v1/posts/${post}/comments`, sent);
  expect(status).toBe(201);
  return json;
};
const remove = (as: Actor, id: string) => service.call('DELETE', `/v1/comments/${id}`, { as });
const restore = (as: Actor, id: string) => service.call('POST', `/v1/comments/${id}/restore`, { as, body: {} });
const read = (path: string, as?: Actor) => service.call<Page>('GET', path, as ? { as } : {});
const comments = async (post: string, query = '', as?: Actor) =>
  (await read(`/v1/posts/${post}/comments?sort=oldest&${query}`, as)).json.items;
const shape = (items: readonly ThreadView[]) => items.map(({ body, marker }) => marker ?? body);
const faults = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined }))
    .filter(({ count }) => count > 0)
    .map(({ name, examples }) => ({ name, examples }));
async function walk(path: string, as?: Actor): Promise<ThreadView[]> {
  const all: ThreadView[] = [];
  for (let next: string | null = ''; next !== null;) {
    const page: Page = (await read(`${path}${next && `&after=${next}`}`, as)).json;
    all.push(...page.items);
    next = page.next;
  }
  return all;
}

describe('a thread', () => {
  test('goes four deep; what answers deeper stands beside what it answers, and says whom', async () => {
    const post = await makePost();
    const chain = [await say(one, post, 'level 0')];
    for (let level = 1; level <= 6; level++) chain.push(await say(two, post, `level ${level}`, chain.at(-1)!.id));
    expect(chain.map(({ depth }) => depth)).toEqual([0, 1, 2, 3, 4, 4, 4]);
    expect(chain.map(({ parentId }) => parentId)).toEqual([
      null,
      ...chain.slice(0, 4).map(({ id }) => id),
      chain[3]!.id,
      chain[3]!.id,
    ]);
    expect(chain.map(({ answers }) => answers)).toEqual([
      ...Array<null>(5).fill(null),
      { comment: chain[4]!.id, handle: 'bram' },
      { comment: chain[5]!.id, handle: 'bram' },
    ]);
    const under = await read(`/v1/comments/${chain[3]!.id}/replies`);
    expect(shape(under.json.items)).toEqual(['level 4', 'level 5', 'level 6']);
    const { json } = await service.call<{ ancestors: CommentView[] }>(
      'GET',
      `/v1/comments/${chain[6]!.id}?context=true`,
    );
    expect(shape(json.ancestors)).toEqual(['level 0', 'level 1', 'level 2', 'level 3']);
    expect(await service.call('GET', `/v1/comments/${chain[6]!.id}`)).not.toHaveProperty('json.ancestors');
  });

  test('is read from the top, with the first replies of each and a cursor to read on', async () => {
    const post = await makePost();
    const tops = [await say(one, post, 'a'), await say(two, post, 'b')];
    for (let i = 1; i <= 5; i++) await say(three, post, `a${i}`, tops[0]!.id);
    const deep = await say(one, post, 'b1', tops[1]!.id);
    await say(two, post, 'b11', deep.id);
    const [a, b] = await comments(post, 'level=top&replies=2');
    expect([a!.body, shape(a!.replies!.items), a!.tallies.replies]).toEqual(['a', ['a1', 'a2'], 5]);
    expect([b!.body, shape(b!.replies!.items), b!.replies!.next]).toEqual(['b', ['b1'], null]);
    const rest = await read(`/v1/comments/${a!.id}/replies?after=${a!.replies!.next}`);
    expect([shape(rest.json.items), rest.json.next]).toEqual([['a3', 'a4', 'a5'], null]);
    expect((await comments(post)).map(({ body }) => body).sort()).toEqual(
      ['a', 'a1', 'a2', 'a3', 'a4', 'a5', 'b', 'b1', 'b11'].sort(),
    );
    expect((await comments(post, 'level=top')).every((item) => item.replies === undefined)).toBe(true);
    expect((await read(`/v1/comments/${b!.id}/replies?after=${a!.replies!.next}`)).json).toMatchObject({ status: 400 });
    expect((await read(`/v1/posts/${post}/comments?replies=6`)).status).toBe(400);
  });

  test('takes at most four statements for a page of any size, the session check among them', async () => {
    const post = await makePost();
    const top = await say(one, post, 'top');
    for (let i = 0; i < 6; i++) await say(two, post, `r${i}`, top.id);
    await service.house.get(Watches).settled();
    const { dataSource } = service;
    const query = dataSource.query.bind(dataSource);
    let statements = 0;
    dataSource.query = ((...args: Parameters<typeof query>) => {
      // How often somebody calls is told beside the calls, ten times a second.
      if (!String(args[0]).includes('call_counts')) statements++;
      return query(...args);
    }) as typeof dataSource.query;
    // With the first cursor a key is made, of which the next call hears.
    for (let n = 0; n < 2; n++) await read(`/v1/posts/${post}/comments?level=all&limit=1`, one);
    try {
      for (const path of [
        `/v1/posts/${post}/comments?level=top&replies=5&limit=100`,
        `/v1/posts/${post}/comments?level=all&limit=1`,
        `/v1/comments/${top.id}/replies?replies=3`,
        `/v1/comments/${top.id}?context=true`,
      ]) {
        statements = 0;
        expect((await read(path, one)).status).toBe(200);
        expect([path, statements]).toEqual([path, 4]);
      }
    } finally {
      dataSource.query = query as typeof dataSource.query;
    }
  });
});

describe('a marker', () => {
  test('stands for what was deleted while anything below shows, however deep, and comes and goes with it', async () => {
    const post = await makePost();
    const [top, left] = [await say(one, post, 'top'), await say(three, post, 'left alone')];
    const reply = await say(two, post, 'reply', top.id);
    const leaf = await say(three, post, 'leaf', reply.id);
    await remove(one, top.id);
    await remove(two, reply.id);
    await remove(three, left.id);
    expect(shape(await comments(post))).toEqual(['deleted', 'deleted', 'leaf']);
    const [marker] = await comments(post, 'level=top&replies=1');
    expect(marker).toMatchObject({
      marker: 'deleted',
      author: null,
      body: '',
      spans: [],
      reaction: null,
      can: { edit: false, delete: false },
    });
    expect(shape(marker!.replies!.items)).toEqual(['deleted']);
    expect((await service.call('GET', `/v1/comments/${top.id}`)).status).toBe(404);
    expect((await read(`/v1/comments/${top.id}/replies`)).status).toBe(200);
    await remove(three, leaf.id);
    expect(await comments(post)).toEqual([]);
    expect((await read(`/v1/comments/${top.id}/replies`)).status).toBe(404);
    await restore(three, leaf.id);
    expect(shape(await comments(post))).toEqual(['deleted', 'deleted', 'leaf']);
    await restore(one, top.id);
    expect(shape(await comments(post))).toEqual(['top', 'deleted', 'leaf']);
    expect((await comments(post))[0]!.tallies.replies).toBe(0);
    expect(await faults()).toEqual([]);
  });

  test('says whether it was deleted, withheld, gone with its account, or hidden from this viewer', async () => {
    const post = await makePost();
    const moderator = await service.user();
    await service.dataSource.query(`UPDATE users SET moderator = true WHERE id = $1`, [moderator.id]);
    const [muted, blocker, leaving] = [await service.user(), await service.user(), await service.user()];
    const tops: CommentView[] = [];
    for (const who of [one, two, leaving, muted, blocker]) {
      tops.push(await say(who, post, who.handle));
      await say(three, post, 'below', tops.at(-1)!.id);
    }
    await remove(one, tops[0]!.id);
    await service.call('POST', `/v1/comments/${tops[1]!.id}/withhold`, { as: moderator, body: { reason: 'Rude' } });
    await service.call('PUT', `/v1/mutes/${muted.id}`, { as: author });
    await service.call('PUT', `/v1/blocks/${author.id}`, { as: blocker });
    await service.dataSource.query(`UPDATE users SET erased_at = now() WHERE id = $1`, [leaving.id]);
    const said = ['deleted', 'withheld', 'erased', 'hidden', 'hidden'];
    expect(shape(await comments(post, 'level=top', author))).toEqual(said);
    await service.dataSource.query(`INSERT INTO erasures (user_id) VALUES ($1)`, [leaving.id]);
    await service.house.get(AccountDeletion).erase();
    expect(shape(await comments(post, 'level=top', author))).toEqual(said);
    expect(shape(await comments(post, 'level=top'))).toEqual([
      'deleted',
      'withheld',
      'erased',
      muted.handle,
      blocker.handle,
    ]);
    // Whom one mutes one still reads where one asks for it.
    expect((await service.call('GET', `/v1/comments/${tops[3]!.id}`, { as: author })).json).toMatchObject({
      marker: null,
    });
    expect((await service.call('GET', `/v1/comments/${tops[4]!.id}`, { as: author })).status).toBe(404);
    expect(await faults()).toEqual([]);
  });

  test('stays once nobody can restore it, without text and author, and goes with the last that it stands for', async () => {
    const post = await makePost();
    const top = await say(one, post, 'top');
    const leaf = await say(two, post, 'leaf', top.id);
    const age = (id: string) =>
      service.dataSource.query(`UPDATE comments SET deleted_at = now() - interval '40 days' WHERE id = $1`, [id]);
    const row = async () =>
      (await service.dataSource.query<object[]>(`SELECT author_id, body FROM comments WHERE id = $1`, [top.id]))[0];
    const purge = () => service.house.get(Removals).purge();
    await remove(one, top.id);
    await age(top.id);
    await purge();
    expect(await row()).toEqual({ author_id: null, body: '' });
    expect(shape(await comments(post))).toEqual(['deleted', 'leaf']);
    expect((await restore(one, top.id)).status).toBe(404);
    await remove(two, leaf.id);
    await purge();
    expect(await row()).toBeDefined();
    await age(leaf.id);
    await purge();
    expect(await row()).toBeUndefined();
    expect(await faults()).toEqual([]);
  });

  test('is kept right by hand-written SQL too', async () => {
    const post = await makePost();
    const top = await say(one, post, 'top');
    const middle = await say(two, post, 'middle', top.id);
    await say(three, post, 'leaf', middle.id);
    await remove(one, top.id);
    await remove(two, middle.id);
    await service.dataSource.query(`DELETE FROM comments WHERE id = $1`, [middle.id]);
    // What stood under it stands at the top now.
    expect(shape(await comments(post, 'level=top'))).toEqual(['leaf']);
    expect((await faults()).map(({ name }) => name)).toEqual(['comment-depths']);
    await checkData(service.dataSource, { plan: PLAN, repair: true, model: [], progress: () => undefined });
    expect(await faults()).toEqual([]);
    await service.dataSource.query(`UPDATE comment_tallies SET replies = 9, below = 3, people = 2 WHERE post_id = $1`, [
      post,
    ]);
    expect((await faults()).map(({ name }) => name)).toEqual(['threads']);
    await checkData(service.dataSource, { plan: PLAN, repair: true, model: [], progress: () => undefined });
    expect(await faults()).toEqual([]);
  });
});

describe('the liveliest', () => {
  test('are those to which most people other than the author replied or reacted, each once', async () => {
    const post = await makePost();
    const [quiet, loud, own] = [
      await say(one, post, 'quiet'),
      await say(one, post, 'loud'),
      await say(one, post, 'own'),
    ];
    const react = (as: Actor, id: string, method = 'PUT') =>
      service.call(method, `/v1/comments/${id}/reaction`, { as, ...(method === 'PUT' && { body: { kind: 'like' } }) });
    await react(two, quiet.id);
    const answer = await say(two, post, 'r', loud.id);
    await react(two, loud.id);
    await react(three, loud.id);
    await react(one, own.id);
    await say(one, post, 'r', own.id);
    const people = async () =>
      Object.fromEntries(
        (await read(`/v1/posts/${post}/comments?level=top&sort=liveliest`)).json.items.map(({ body, tallies }) => [
          body,
          tallies.people,
        ]),
      );
    expect(await people()).toEqual({ loud: 2, quiet: 1, own: 0 });
    const order = await read(`/v1/posts/${post}/comments?level=top&sort=liveliest`);
    expect(shape(order.json.items)).toEqual(['loud', 'quiet', 'own']);
    await react(two, loud.id, 'DELETE');
    expect(await people()).toMatchObject({ loud: 2 });
    await remove(two, answer.id);
    expect(await people()).toMatchObject({ loud: 1 });
    expect(await faults()).toEqual([]);
  });
});

test('pages of every order and level equal a plain sort of what shows, with ties, while some is hidden', async () => {
  const post = await makePost();
  const people = [one, two, three];
  const made: CommentView[] = [];
  let seed = 7;
  const chance = (n: number) => (seed = (seed * 48_271) % 2_147_483_647) % n;
  for (let i = 0; i < 60; i++) {
    const under = i > 3 && chance(3) > 0 ? made[chance(made.length)]! : undefined;
    made.push(await say(people[chance(3)]!, post, `c${i}`, under?.id));
  }
  // The same instants again and again.
  await service.dataSource.query(
    `UPDATE comments SET created_at = date_trunc('minute', created_at) + (depth % 2) * interval '1 second' WHERE post_id = $1`,
    [post],
  );
  for (let i = 0; i < 25; i++)
    await service.call('PUT', `/v1/comments/${made[chance(60)]!.id}/reaction`, {
      as: people[chance(3)]!,
      body: { kind: 'like' },
    });
  const gone = new Set<string>();
  for (let i = 0; i < 20; i++) {
    const { id, author: by } = made[chance(60)]!;
    if (!gone.has(id))
      expect(
        (
          await remove(
            people.find((who) => who.id === by!.id)!,
            id,
          )
        ).status,
      ).toBe(204);
    gone.add(id);
  }
  const viewer = await service.user();
  await service.call('PUT', `/v1/mutes/${two.id}`, { as: viewer });
  expect(await faults()).toEqual([]);

  const rows = await service.dataSource.query<
    { id: string; under_id: string | null; at: Date; people: number; deleted: boolean; author_id: string }[]
  >(
    `SELECT c.id, c.under_id, c.created_at AS at, t.people, c.deleted_at IS NOT NULL AS deleted, c.author_id
     FROM comments c JOIN comment_tallies t ON t.comment_id = c.id WHERE c.post_id = $1`,
    [post],
  );
  const childrenOf = (id: string) => rows.filter((row) => row.under_id === id);
  const showsBelow = (id: string): boolean => childrenOf(id).some((row) => !row.deleted || showsBelow(row.id));
  const shown = (row: (typeof rows)[number], as?: Actor) =>
    showsBelow(row.id) || (!row.deleted && !(as && row.author_id === two.id));
  const by = {
    oldest: (a: (typeof rows)[number], b: (typeof rows)[number]) => +a.at - +b.at || (a.id < b.id ? -1 : 1),
    newest: (a: (typeof rows)[number], b: (typeof rows)[number]) => +b.at - +a.at || (a.id < b.id ? 1 : -1),
    liveliest: (a: (typeof rows)[number], b: (typeof rows)[number]) => b.people - a.people || (a.id < b.id ? 1 : -1),
  };
  for (const as of [undefined, viewer])
    for (const sort of ['oldest', 'newest', 'liveliest'] as const)
      for (const level of ['all', 'top'] as const) {
        const plain = rows.filter((row) => shown(row, as) && (level === 'all' || row.under_id === null)).sort(by[sort]);
        const paged = await walk(`/v1/posts/${post}/comments?level=${level}&sort=${sort}&limit=7`, as);
        expect(paged.map(({ id }) => id)).toEqual(plain.map(({ id }) => id));
      }
  for (const top of rows.filter((row) => row.under_id === null && shown(row))) {
    const plain = childrenOf(top.id)
      .filter((row) => shown(row))
      .sort(by.oldest);
    expect((await walk(`/v1/comments/${top.id}/replies?limit=2`)).map(({ id }) => id)).toEqual(
      plain.map(({ id }) => id),
    );
  }
});

test('every count is exact after a storm of answers, reactions, deletes and restores by many at once', async () => {
  const post = await makePost();
  const people = [one, two, three, author];
  const made = await Promise.all(people.map((who) => say(who, post, 'top')));
  let seed = 11;
  const chance = (n: number) => (seed = (seed * 48_271) % 2_147_483_647) % n;
  for (let round = 0; round < 6; round++) {
    const acts = Array.from({ length: 24 }, async () => {
      const who = people[chance(4)]!;
      const target = made[chance(made.length)]!;
      const act = chance(5);
      if (act === 0)
        return remove(
          people.find(({ id }) => id === target.author!.id)!,
          target.id,
        );
      if (act === 1)
        return restore(
          people.find(({ id }) => id === target.author!.id)!,
          target.id,
        );
      if (act === 2) {
        const sent = { as: who, body: { kind: chance(2) ? 'like' : 'dislike' } };
        return service.call('PUT', `/v1/comments/${target.id}/reaction`, sent);
      }
      const sent = { as: who, body: { body: 'storm', parentId: target.id } };
      const reply = await service.call<CommentView>('POST', `/v1/posts/${post}/comments`, sent);
      if (reply.status === 201) made.push(reply.json);
      return reply;
    });
    for (const { status } of await Promise.all(acts)) expect([200, 201, 204, 404, 409, 422]).toContain(status);
  }
  expect(await faults()).toEqual([]);
}, 60_000);
