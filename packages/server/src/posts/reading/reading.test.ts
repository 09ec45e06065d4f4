import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { AccountDeletion } from '../../accounts/users/deletion/service.js';
import { PLAN } from '../../service/capabilities.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { checkData } from '../../workbench/check/service.js';
import { readAnew, readingUnderWay, readUnread } from './back-fill.js';
import type { SpanView } from './schema.js';
import { READING } from './service.js';

interface Written {
  id: string;
  body: string;
  version: number;
  spans: SpanView[];
}

let service: TestService;
let [odile, bram, wren]: [Actor, Actor, Actor] = [null!, null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [odile, bram, wren] = [await service.user('odile'), await service.user('bram'), await service.user('wren')];
});
afterAll(() => service.stop());

const post = async (as: Actor, body: string) => {
  const { status, json } = await service.call<Written>('POST', '/v1/posts', { as, body: { body } });
  expect(status).toBe(201);
  return json;
};
const comment = async (as: Actor, on: string, body: string) => {
  const { status, json } = await service.call<Written>('POST', `/v1/posts/${on}/comments`, { as, body: { body } });
  expect(status).toBe(201);
  return json;
};
const edit = async (as: Actor, path: string, body: string) =>
  (await service.call<Written>('PATCH', `/v1/${path}`, { as, body: { body } })).json;
const mentions = ({ spans }: Written) => spans.flatMap(({ user }) => (user === undefined ? [] : [user]));
const mentioned = async (thing: 'post' | 'comment', id: string) =>
  (
    await service.dataSource.query<{ user_id: string }[]>(
      `SELECT user_id FROM ${thing}_mentions WHERE ${thing}_id = $1 ORDER BY user_id`,
      [id],
    )
  ).map(({ user_id }) => user_id);
const check = async (repair = false) =>
  (await checkData(service.dataSource, { plan: PLAN, repair, model: [], progress: () => undefined }))
    .filter(({ count }) => count > 0)
    .map(({ name }) => name);

describe('spans', () => {
  test('of posts and comments are where they are in both units, wherever these are listed', async () => {
    const body = '👋🏽 #Heron @Bram (https://x.example/a)';
    const spans = [
      { kind: 'hashtag', from: 3, to: 9, utf16From: 5, utf16To: 11, hashtag: 'heron' },
      { kind: 'mention', from: 10, to: 15, utf16From: 12, utf16To: 17, user: bram.id },
      { kind: 'link', from: 17, to: 36, utf16From: 19, utf16To: 38, url: 'https://x.example/a' },
    ];
    const made = await post(odile, body);
    expect(made.spans).toEqual(spans);
    expect((await comment(bram, made.id, body)).spans).toEqual(spans);
    for (const path of [
      '/v1/posts?limit=1',
      '/v1/users/@odile/posts',
      '/v1/hashtags/heron/posts',
      `/v1/feeds/following`,
    ])
      expect((await service.call<{ items: Written[] }>('GET', path, { as: odile })).json.items[0]).toMatchObject({
        spans,
      });
    const { items } = (await service.call<{ items: Written[] }>('GET', `/v1/posts/${made.id}/comments`)).json;
    expect(items[0]!.spans).toEqual(spans);
    const atom = await (await fetch(`${service.address}/v1/users/@odile/posts.atom`)).text();
    expect(atom).toContain('<category label="Heron" term="heron"/>');
    expect(atom).toContain(`<a href="${service.address}/users/${bram.id}">@Bram</a>`);
  });

  test('are found anew by an edit, with what belongs to them', async () => {
    const made = await post(odile, 'To @bram: #ebb');
    expect(await mentioned('post', made.id)).toEqual([bram.id]);
    expect((await edit(odile, `posts/${made.id}`, 'To @wren: #flow')).spans.map(({ kind }) => kind)).toEqual([
      'mention',
      'hashtag',
    ]);
    expect(await mentioned('post', made.id)).toEqual([wren.id]);
    const answer = await comment(bram, made.id, 'And @odile?');
    expect(mentions(await edit(bram, `comments/${answer.id}`, 'Nobody.'))).toEqual([]);
    expect(await mentioned('comment', answer.id)).toEqual([]);
    const { dataSource } = service;
    await dataSource.query(`UPDATE posts SET created_at = created_at WHERE id = $1`, [made.id]);
    expect(await check()).toEqual([]);
  });

  test('of a text that hand-written SQL changes are forgotten at once and found again soon', async () => {
    const { id } = await post(odile, 'A long text that names #ebb and @bram');
    const spans = async () => (await service.call<Written>('GET', `/v1/posts/${id}`)).json.spans;
    await service.dataSource.query(`UPDATE posts SET body = '#slack' WHERE id = $1`, [id]);
    expect(await spans()).toEqual([]);
    expect(await check()).toEqual([]);
    await readUnread(service.dataSource);
    expect(await spans()).toMatchObject([{ hashtag: 'slack' }]);
    // An edit that leaves its spans where they were is read, not forgotten.
    await edit(odile, `posts/${id}`, '#slack again');
    expect(await spans()).toMatchObject([{ hashtag: 'slack' }]);
    await edit(odile, `posts/${id}`, '#slack at last');
    expect(await spans()).toMatchObject([{ hashtag: 'slack' }]);
    expect(await check()).toEqual([]);
  });

  test('that hand-written SQL made of anything make no list fail, and are mended', async () => {
    const { id } = await post(odile, 'Odd spans, #ebb');
    await service.dataSource.query(
      `UPDATE posts SET spans = '[1, null, {"h": 1}, ["x", 0, 1, 0, 1, "a"]]' WHERE id = $1`,
      [id],
    );
    const { status, json } = await service.call<{ items: Written[] }>('GET', '/v1/posts?limit=1');
    expect([status, json.items[0]]).toMatchObject([200, { id, spans: [] }]);
    expect(await check(true)).toContain('posts-spans');
    await readUnread(service.dataSource);
    expect(await check()).toEqual([]);
    expect((await edit(odile, `posts/${id}`, 'Even, #flow')).spans).toMatchObject([{ hashtag: 'flow' }]);
  });

  test('that are not what the text names are found by the check, and mended', async () => {
    const { id } = await post(odile, 'Both @bram and #ebb');
    await service.dataSource.query(`UPDATE posts SET spans = '[["h", 0, 3, 0, 3, "flow"]]' WHERE id = $1`, [id]);
    expect(await check(true)).toEqual(['posts-spans']);
    await readUnread(service.dataSource);
    expect(await check()).toEqual([]);
    expect(await mentioned('post', id)).toEqual([bram.id]);
    await service.dataSource.query(`DELETE FROM post_mentions WHERE post_id = $1`, [id]);
    await service.dataSource.query(`DELETE FROM post_hashtags WHERE post_id = $1`, [id]);
    expect(await check(true)).toEqual(['post-mentions', 'post-hashtags']);
    expect(await check()).toEqual([]);
  });
});

/** Until a call waits for a lock, or is done without. */
async function untilItWaits(call: Promise<unknown>): Promise<void> {
  let done = false;
  void call.finally(() => (done = true));
  const waits = async () =>
    (
      await service.dataSource.query<unknown[]>(
        `SELECT FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`,
      )
    ).length > 0;
  while (!done && !(await waits()));
}

describe('a mention', () => {
  test('is of somebody who is there: not of a handle that is free, reserved or given up', async () => {
    const mover = await service.user('mover');
    const before = await post(odile, 'Ask @mover');
    expect(mentions(before)).toEqual([mover.id]);
    await service.call('PATCH', `/v1/users/${mover.id}`, { as: mover, body: { handle: 'moved' } });
    expect(mentions(await post(odile, '@mover @operator @nobodyhere @moved'))).toEqual([mover.id]);
    // Who is still named is still the same user, also by the handle of then.
    expect(mentions(await edit(odile, `posts/${before.id}`, 'Do ask @Mover'))).toEqual([mover.id]);
    expect(mentions(await edit(odile, `posts/${before.id}`, 'Ask nobody'))).toEqual([]);
    expect(mentions(await edit(odile, `posts/${before.id}`, 'Ask @mover'))).toEqual([]);
  });

  test('is of nobody who blocks the author, whom the author blocks, or who may not see the post', async () => {
    const [host, guest, other] = [await service.user('host'), await service.user('guest'), await service.user('other')];
    const block = (as: Actor, whom: Actor, method = 'PUT') => service.call(method, `/v1/blocks/${whom.id}`, { as });
    await block(guest, other);
    expect(mentions(await post(other, '@guest'))).toEqual([]);
    expect(mentions(await post(guest, '@other'))).toEqual([]);
    await block(guest, other, 'DELETE');
    await block(host, other);
    const { id } = await post(host, 'Only some may read this');
    // The guest blocks nobody, but what stands below the host's post is out of the other's sight.
    expect(mentions(await comment(guest, id, '@other @host'))).toEqual([host.id]);
    await block(host, other, 'DELETE');
    expect(mentions(await comment(guest, id, '@other @host'))).toEqual([other.id, host.id]);
  });

  test.each(['post', 'comment'])('in a %s waits for a block that is being made, and then is none', async (thing) => {
    const [a, b] = [await service.user(), await service.user()];
    const { id } = await post(a, 'Below this');
    const runner = service.dataSource.createQueryRunner();
    await runner.startTransaction();
    await runner.query(`SELECT FROM user_tallies WHERE user_id IN ($1, $2) ORDER BY user_id FOR NO KEY UPDATE`, [
      a.id,
      b.id,
    ]);
    await runner.query(`INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2)`, [b.id, a.id]);
    const writing = thing === 'post' ? post(a, `@${b.handle}`) : comment(a, id, `@${b.handle}`);
    await untilItWaits(writing);
    await runner.commitTransaction();
    await runner.release();
    expect(mentions(await writing)).toEqual([]);
  });

  test('a comment waits for a block that is being made, and then is refused', async () => {
    const [a, b] = [await service.user(), await service.user()];
    const { id } = await post(a, 'Below this');
    const runner = service.dataSource.createQueryRunner();
    await runner.startTransaction();
    await runner.query(`SELECT FROM user_tallies WHERE user_id IN ($1, $2) ORDER BY user_id FOR NO KEY UPDATE`, [
      a.id,
      b.id,
    ]);
    await runner.query(`INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2)`, [a.id, b.id]);
    const writing = service.call('POST', `/v1/posts/${id}/comments`, { as: b, body: { body: 'Too late' } });
    await untilItWaits(writing);
    await runner.commitTransaction();
    await runner.release();
    expect((await writing).status).toBe(404);
  });

  test('of an account that is deleted becomes text again', async () => {
    const leaving = await service.user('leaving');
    const made = await post(odile, '@leaving and @bram');
    const answer = await comment(bram, made.id, '@leaving?');
    await service.dataSource.query(`UPDATE users SET erased_at = now() WHERE id = $1`, [leaving.id]);
    await service.dataSource.query(`INSERT INTO erasures (user_id) VALUES ($1)`, [leaving.id]);
    await service.house.get(AccountDeletion).erase();
    expect(mentions((await service.call<Written>('GET', `/v1/posts/${made.id}`)).json)).toEqual([bram.id]);
    expect(mentions((await service.call<Written>('GET', `/v1/comments/${answer.id}`)).json)).toEqual([]);
    expect(await check()).toEqual([]);
  });

  test('suggestions are those whom one follows, then those in the conversation, then by followers', async () => {
    const [me, friend, talker, famous, plain, keptAway] = await Promise.all(
      ['sug_me', 'sug_friend', 'sug_talker', 'sug_famous', 'sug_plain', 'sug_kept'].map((handle) =>
        service.user(handle),
      ),
    );
    const { id } = await post(bram, 'What do you think?');
    await comment(talker!, id, 'A lot');
    await service.call('PUT', `/v1/follows/${friend!.id}`, { as: me! });
    for (const fan of [odile, wren]) await service.call('PUT', `/v1/follows/${famous!.id}`, { as: fan });
    await service.call('PUT', `/v1/mutes/${keptAway!.id}`, { as: me! });
    const suggest = async (query: string) =>
      (
        await service.call<{ items: { handle: string }[]; next: string }>('GET', `/v1/users?sort=nearest&${query}`, {
          as: me!,
        })
      ).json;
    const all = [friend, talker, famous, plain].map((user) => user!.handle);
    expect((await suggest(`q=SUG&post=${id}`)).items.map(({ handle }) => handle)).toEqual(all);
    expect((await suggest('q=sug_')).items.map(({ handle }) => handle)).toEqual([all[0], all[2], all[3], all[1]]);
    expect((await suggest(`post=${id}`)).items.map(({ handle }) => handle)).toEqual(
      [all[0], 'bram', all[1]].sort((x, y) => (x === all[0] ? -1 : y === all[0] ? 1 : x! < y! ? -1 : 1)),
    );
    const first = await suggest(`q=sug&post=${id}&limit=2`);
    const rest = await suggest(`q=sug&post=${id}&limit=2&after=${first.next}`);
    expect([...first.items, ...rest.items].map(({ handle }) => handle)).toEqual(all);
  });
});

describe('reading anew', () => {
  const age = () =>
    service.dataSource.query(
      `WITH p AS (UPDATE posts SET spans = '[]', reading = 1) UPDATE comments SET spans = '[]', reading = 1`,
    );
  const unread = async () =>
    (
      await service.dataSource.query<[{ n: number }]>(
        `SELECT (SELECT count(*) FROM posts WHERE reading < $1)::integer + (SELECT count(*) FROM comments WHERE reading < $1)::integer AS n`,
        [READING],
      )
    )[0].n;

  test('goes on where it was stopped, says how far it is, and brings everything back', async () => {
    for (let i = 0; i < 520; i++)
      await service.dataSource.query(`INSERT INTO posts (id, author_id, body) VALUES (gen_random_uuid(), $1, $2)`, [
        odile.id,
        `${i} #bulk @bram`,
      ]);
    await readUnread(service.dataSource);
    const bulk = async () => (await service.call<{ tallies: object }>('GET', '/v1/hashtags/bulk')).json.tallies;
    expect(await bulk()).toEqual({ posts: 520, people: 1 });
    await age();
    expect((await service.call('GET', '/v1/hashtags/bulk')).status).toBe(404);
    let batches = 0;
    const some = await readAnew(service.dataSource, { ended: () => batches++ > 0 });
    expect(some).toBe(500);
    const left = await unread();
    expect(left).toBeGreaterThan(0);
    expect(await readingUnderWay(service.dataSource)).toEqual({ total: 500 + left, done: 500 });
    expect(await readAnew(service.dataSource)).toBe(left);
    expect([await unread(), await readingUnderWay(service.dataSource)]).toEqual([0, null]);
    expect(await bulk()).toEqual({ posts: 520, people: 1 });
    expect(await check()).toEqual([]);
  }, 60_000);

  test('lets an edit at the same time win', async () => {
    const made = await post(odile, 'First #one');
    await service.dataSource.query(`UPDATE posts SET spans = '[]', reading = 1 WHERE id = $1`, [made.id]);
    const reading = readAnew(service.dataSource);
    const edited = await edit(odile, `posts/${made.id}`, 'Then #two');
    await reading;
    expect(edited.spans).toMatchObject([{ hashtag: 'two' }]);
    expect((await service.call<Written>('GET', `/v1/posts/${made.id}`)).json.spans).toMatchObject([{ hashtag: 'two' }]);
    expect(await check()).toEqual([]);
  });

  test('is done by one process at a time', async () => {
    await age();
    const [one, two] = await Promise.all([readAnew(service.dataSource), readAnew(service.dataSource)]);
    expect([one, two].filter((n) => n !== null && n > 0)).toHaveLength(1);
    expect(await check()).toEqual([]);
  });
});
