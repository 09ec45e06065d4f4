import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { Watches } from '../../posts/watches/service.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import type { NotificationPage } from './schema.js';

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
const post = async (as: Actor, body = 'Seen from the lock') =>
  (await call<{ id: string }>('POST', '/v1/posts', as, { body })).id;
const comment = async (as: Actor, on: string, body: string, parentId?: string) =>
  (await call<{ id: string }>('POST', `/v1/posts/${on}/comments`, as, { body, ...(parentId && { parentId }) })).id;
const react = (as: Actor, on: string, kind = 'like') => call('PUT', `/v1/${on}/reaction`, as, { kind });
const list = (as: Actor, query = '') => call<NotificationPage>('GET', `/v1/notifications${query}`, as);
/** What somebody is told, in words: the kind, who acted, and a star where it is unseen. */
async function told(as: Actor): Promise<string[]> {
  await service.house.get(Watches).announce();
  const { items, unseen } = await list(as);
  expect(unseen).toBe(items.filter((item) => item.unseen).length);
  return items.map(
    ({ kind, actors, others, unseen: star }) =>
      `${kind} ${actors.map(({ handle }) => handle).join('+')}${others ? `+${others}` : ''}${star ? '*' : ''}`,
  );
}
const users = (...names: string[]) => Promise.all(names.map(() => service.user()));

describe('who is told of what', () => {
  test('a follow, a reaction, a comment, a reply, a mention: those whom it concerns, once', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const one = await post(ada, `Look, @${cy.handle} and @${ada.handle}`);
    expect(await told(cy)).toEqual([`mentioned ${ada.handle}*`]);
    await call('PUT', `/v1/follows/@${ada.handle}`, bo);
    await react(bo, `posts/${one}`);
    const first = await comment(bo, one, 'I saw it');
    await react(ada, `comments/${first}`);
    const second = await comment(ada, one, 'So did I', first);
    expect(await told(ada)).toEqual([`commented ${bo.handle}*`, `reacted ${bo.handle}*`, `followed ${bo.handle}*`]);
    expect(await told(bo)).toEqual([`replied ${ada.handle}*`, `reacted ${ada.handle}*`]);
    const { items } = await list(bo);
    expect(items[0]).toMatchObject({
      target: { kind: 'comment', id: first },
      postId: one,
      commentId: second,
      text: 'So did I',
    });
    expect(items[1]).toMatchObject({ target: { kind: 'comment', id: first }, commentId: first, text: 'I saw it' });
    expect(new URL(items[0]!.link).pathname).toBe(`/v1/comments/${second}`);
  });

  test('one act in the way that comes first: mentioned, replied, commented, watched', async () => {
    const [ada, bo] = (await users('ada', 'bo')) as [Actor, Actor];
    const one = await post(ada);
    const own = await comment(ada, one, 'Mine');
    await comment(bo, one, `@${ada.handle}, look`, own);
    expect(await told(ada)).toEqual([`mentioned ${bo.handle}*`]);
    await comment(bo, one, 'And this', own);
    expect(await told(ada)).toEqual([`replied ${bo.handle}*`, `mentioned ${bo.handle}*`]);
    await comment(bo, one, 'And that');
    expect((await told(ada))[0]).toBe(`commented ${bo.handle}*`);
    // Switched off, a kind gives way to the next.
    await call('PATCH', '/v1/me/notification-choices', ada, { mentioned: false, replied: false });
    await comment(bo, one, `@${ada.handle} again`, own);
    expect((await list(ada, '?kinds=commented')).items[0]).toMatchObject({ others: 0, unseen: true });
    expect(await told(ada)).toHaveLength(3);
    await call('PATCH', '/v1/me/notification-choices', ada, { commented: false });
    await comment(bo, one, `@${ada.handle} and again`, own);
    expect((await told(ada))[0]).toBe(`watched ${bo.handle}*`);
    await call('PATCH', '/v1/me/notification-choices', ada, { watched: false });
    await comment(bo, one, 'Nobody hears this');
    expect(await told(ada)).toHaveLength(4);
  });

  const acts: Record<string, (by: Actor, on: { owner: Actor; post: string; comment: string }) => Promise<unknown>> = {
    follow: (by, { owner }) => call('PUT', `/v1/follows/@${owner.handle}`, by),
    react: (by, on) => react(by, `posts/${on.post}`),
    reactToComment: (by, on) => react(by, `comments/${on.comment}`),
    comment: (by, on) => comment(by, on.post, 'Said'),
    reply: (by, on) => comment(by, on.post, 'Answered', on.comment),
    mention: (by, { owner }) => post(by, `Hello @${owner.handle}`),
  };
  test.each(
    Object.keys(acts).flatMap((act) =>
      ['nothing', 'muted', 'muting', 'own'].map((relation) => [act, relation] as const),
    ),
  )('%s with %s between them', async (act, relation) => {
    const [owner, other] = (await users('owner', 'other')) as [Actor, Actor];
    const on = { owner, post: await post(owner), comment: '' };
    on.comment = await comment(owner, on.post, 'Mine');
    if (relation === 'muted') await call('PUT', `/v1/mutes/@${other.handle}`, owner);
    if (relation === 'muting') await call('PUT', `/v1/mutes/@${owner.handle}`, other);
    if (relation === 'own' && act === 'follow') return;
    await acts[act]!(relation === 'own' ? owner : other, on);
    expect(await told(owner)).toHaveLength(relation === 'nothing' ? 1 : 0);
    // Nothing comes when it is lifted.
    if (relation === 'muted') await call('DELETE', `/v1/mutes/@${other.handle}`, owner).catch(() => undefined);
    expect(await told(owner)).toHaveLength(relation === 'nothing' ? 1 : 0);
  });

  test('a block takes what was told with it, both ways and on the posts of either, and lets nothing more in', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const [hers, his] = [await post(ada), await post(bo)];
    const answered = await comment(bo, hers, 'Said');
    await comment(cy, hers, 'Answered', answered);
    await react(ada, `posts/${his}`);
    await call('PUT', `/v1/follows/@${bo.handle}`, ada);
    await react(bo, `posts/${await post(cy, `@${ada.handle} @${bo.handle}`)}`);
    expect(await told(bo)).toHaveLength(4);
    await call('PUT', `/v1/blocks/@${bo.handle}`, ada);
    expect(await told(ada)).toEqual([`mentioned ${cy.handle}*`, `commented ${cy.handle}*`]);
    expect(await told(bo)).toEqual([`mentioned ${cy.handle}*`]);
    expect(await told(cy)).toEqual([`reacted ${bo.handle}*`]);
    await call('DELETE', `/v1/blocks/@${bo.handle}`, ada).catch(() => undefined);
    expect(await told(ada)).toHaveLength(2);
  });
});

describe('of the same act nobody is told again', () => {
  test('taken back and done again', async () => {
    const [ada, bo] = (await users('ada', 'bo')) as [Actor, Actor];
    const one = await post(ada);
    const said = await comment(ada, one, 'Mine');
    for (const path of [`posts/${one}`, `comments/${said}`]) {
      await react(bo, path);
      await react(bo, path, 'dislike');
      expect(await told(ada)).toEqual([`reacted ${bo.handle}*`]);
      await call('DELETE', `/v1/${path}/reaction`, bo);
      expect(await told(ada)).toEqual([]);
      await react(bo, path);
      expect(await told(ada)).toEqual([]);
    }
    await call('PUT', `/v1/follows/@${ada.handle}`, bo);
    await service.call('DELETE', `/v1/follows/@${ada.handle}`, { as: bo });
    await call('PUT', `/v1/follows/@${ada.handle}`, bo);
    expect(await told(ada)).toEqual([]);
  });

  test('taken back by whom nobody was told of, or while a kind was off', async () => {
    const [ada, bo] = (await users('ada', 'bo')) as [Actor, Actor];
    const one = await post(ada);
    await call('PUT', `/v1/mutes/@${bo.handle}`, ada);
    await react(bo, `posts/${one}`);
    await call('DELETE', `/v1/posts/${one}/reaction`, bo);
    await service.call('DELETE', `/v1/mutes/@${bo.handle}`, { as: ada });
    await react(bo, `posts/${one}`);
    expect(await told(ada)).toEqual([]);
    const two = await post(ada);
    await call('PATCH', '/v1/me/notification-choices', ada, { reacted: false });
    await react(bo, `posts/${two}`);
    await call('PATCH', '/v1/me/notification-choices', ada, { reacted: null });
    await react(bo, `posts/${two}`, 'dislike');
    expect(await told(ada)).toEqual([]);
    await call('DELETE', `/v1/posts/${two}/reaction`, bo);
    await react(bo, `posts/${two}`);
    expect(await told(ada)).toEqual([]);
  });

  test('an edit tells those whom it newly mentions, and nobody else', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const edit = (path: string, body: string) => call('PATCH', `/v1/${path}`, ada, { body });
    for (const text of ['post', 'comment'] as const) {
      const on = await post(cy);
      const path =
        text === 'post'
          ? `posts/${await post(ada, `Hi @${bo.handle}`)}`
          : `comments/${await comment(ada, on, `Hi @${bo.handle}`)}`;
      const before = (await told(bo)).length;
      expect(before).toBe(text === 'post' ? 1 : 2 - 1);
      await edit(path, `Hello @${bo.handle}`);
      expect(await told(bo)).toHaveLength(1);
      await edit(path, 'Hello');
      expect(await told(bo)).toEqual([]);
      await edit(path, `Hello @${bo.handle}`);
      expect(await told(bo)).toEqual([]);
      await call('PATCH', '/v1/me/notification-choices', bo, { mentioned: false });
      const { id } = await call<{ id: string }>('POST', '/v1/posts', ada, { body: `Unheard @${bo.handle}` });
      await call('PATCH', '/v1/me/notification-choices', bo, { mentioned: true });
      await edit(`posts/${id}`, `Still unheard @${bo.handle}`);
      expect(await told(bo)).toEqual([]);
    }
  });

  test('a mention that an edit takes away while the reply stands becomes a reply in silence', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const on = await post(cy);
    const hers = await comment(ada, on, 'Mine');
    const one = await comment(bo, on, `@${ada.handle} yes`, hers);
    const at = (await list(ada)).items[0]!.at;
    await call('PATCH', `/v1/comments/${one}`, bo, { body: 'Yes' });
    expect((await list(ada)).items).toMatchObject([{ kind: 'replied', at, unseen: true, target: { id: hers } }]);
    // Seen, it stays so; beside an open one of the kind, it joins it without raising it.
    const { through } = await list(ada);
    const other = await comment(bo, on, `@${ada.handle} no`, hers);
    await call('PUT', '/v1/notifications/seen', ada, { through: (await list(ada)).through });
    await call('PATCH', `/v1/comments/${other}`, bo, { body: 'No' });
    expect(await told(ada)).toEqual([`replied ${bo.handle}`, `replied ${bo.handle}`]);
    const third = await comment(bo, on, `@${ada.handle} perhaps`, hers);
    await comment(cy, on, 'Answered', hers);
    await call('PATCH', `/v1/comments/${third}`, bo, { body: 'Perhaps' });
    expect(await told(ada)).toEqual([
      `replied ${cy.handle}+${bo.handle}*`,
      `replied ${bo.handle}`,
      `replied ${bo.handle}`,
    ]);
    expect(through).not.toBe('');
  });

  test('becomes one beside another answer that tells them at the same moment', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const on = await post(cy);
    const hers = await comment(ada, on, 'Mine');
    const one = await comment(bo, on, `@${ada.handle} yes`, hers);
    const open = service.dataSource.createQueryRunner();
    await open.startTransaction();
    await open.query(
      `INSERT INTO notifications (id, user_id, kind, target_id, post_id) VALUES (new_uuid7(), $1, 'replied', $2, $3)`,
      [ada.id, hers, on],
    );
    await open.query(
      `INSERT INTO notification_acts (thing_id, actor_id, user_id, notification_id) SELECT gen_random_uuid(), $1, user_id, id FROM notifications WHERE target_id = $2`,
      [cy.id, hers],
    );
    const editing = call('PATCH', `/v1/comments/${one}`, bo, { body: 'Yes' });
    for (let waits = 0; waits === 0;)
      [{ waits }] = await service.dataSource.query<[{ waits: number }]>(
        `SELECT count(*)::integer AS waits FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database() AND query LIKE '%UPDATE comments%'`,
      );
    await open.commitTransaction();
    await open.release();
    await editing;
    expect(await told(ada)).toEqual([`replied ${cy.handle}+${bo.handle}*`]);
  });

  test('a delete, a withhold, a hard delete take it along, and a restore tells nobody', async () => {
    const [ada, bo, cy] = (await users('ada', 'bo', 'cy')) as [Actor, Actor, Actor];
    const one = await post(ada);
    const said = await comment(bo, one, `Said @${cy.handle}`);
    await comment(cy, one, 'Answered', said);
    expect([await told(ada), await told(bo), await told(cy)].map((all) => all.length)).toEqual([1, 1, 1]);
    await service.call('DELETE', `/v1/comments/${said}`, { as: bo });
    expect([await told(ada), await told(bo), await told(cy)]).toEqual([[`commented ${cy.handle}*`], [], []]);
    await call('POST', `/v1/comments/${said}/restore`, bo, {});
    expect([await told(ada), await told(bo), await told(cy)]).toEqual([[`commented ${cy.handle}*`], [], []]);
    await service.call('DELETE', `/v1/posts/${one}`, { as: ada });
    expect(await told(ada)).toEqual([]);
    await call('POST', `/v1/posts/${one}/restore`, ada, {});
    expect(await told(ada)).toEqual([]);
    const two = await post(ada, `Again @${cy.handle}`);
    await react(bo, `posts/${two}`);
    expect([await told(ada), await told(cy)].map((all) => all.length)).toEqual([1, 1]);
    await service.dataSource.query(`DELETE FROM posts WHERE id = $1`, [two]);
    expect([await told(ada), await told(cy)]).toEqual([[], []]);
    const left = await service.dataSource.query<unknown[]>(`SELECT FROM notification_acts WHERE thing_id = $1`, [two]);
    expect(left).toEqual([]);
  });
});
