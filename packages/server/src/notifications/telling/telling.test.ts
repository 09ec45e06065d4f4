import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { checkData } from '../../workbench/check/service.js';
import { PLAN } from '../../service/capabilities.js';
import { AccountDeletion } from '../../accounts/users/deletion/service.js';
import { Watches } from '../../posts/watches/service.js';
import { dice } from '../../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Notifications } from '../list/service.js';
import type { NotificationPage } from '../list/schema.js';

let [service, other]: TestService[] = [];
beforeAll(async () => {
  service = await startTestService();
  other = await startTestService({ on: service.database });
});
afterAll(async () => {
  await other!.stop();
  await service!.stop();
});

const people = (n: number) => Promise.all(Array.from({ length: n }, () => service!.user()));
const call = async <T = Record<string, unknown>>(method: string, path: string, as: Actor, body?: unknown) => {
  const reply = await service!.call<T>(method, path, { as, ...(body !== undefined && { body }) });
  expect([method, path, reply.status < 300 || reply.json]).toEqual([method, path, true]);
  return reply.json;
};
const post = async (as: Actor, body = 'Seen') => (await call<{ id: string }>('POST', '/v1/posts', as, { body })).id;
const comment = async (as: Actor, on: string, parentId?: string) =>
  (await call<{ id: string }>('POST', `/v1/posts/${on}/comments`, as, { body: 'Said', ...(parentId && { parentId }) }))
    .id;
const list = (as: Actor) => call<NotificationPage>('GET', '/v1/notifications?limit=100', as);
const faults = async () =>
  (await checkData(service!.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })).filter(
    ({ count }) => count > 0,
  );

describe('watching', () => {
  test('whoever comments watches, and hears of comments; who left stays away', async () => {
    const [ada, bo, cy, di] = (await people(4)) as [Actor, Actor, Actor, Actor];
    const one = await post(ada);
    const watching = async (as: Actor) => (await call<{ watching: boolean }>('GET', `/v1/posts/${one}`, as)).watching;
    await comment(bo, one);
    expect([await watching(bo), await watching(cy)]).toEqual([true, false]);
    expect(await call('PUT', `/v1/posts/${one}/watch`, cy)).toEqual({ postId: one, watching: true, changed: true });
    expect(await call('PUT', `/v1/posts/${one}/watch`, cy)).toMatchObject({ changed: false });
    await comment(di, one);
    await service!.house.get(Watches).announce();
    const heard = async (as: Actor) =>
      (await list(as)).items.map(({ kind, actors }) => `${kind} ${actors.map(({ handle }) => handle).join('+')}`);
    expect([await heard(bo), await heard(cy), await heard(di)]).toEqual([
      [`watched ${di.handle}`],
      [`watched ${di.handle}`],
      [],
    ]);
    await call('DELETE', `/v1/posts/${one}/watch`, bo);
    await comment(bo, one);
    expect(await watching(bo)).toBe(false);
    await service!.house.get(Watches).announce();
    expect([await heard(bo), await heard(cy)]).toEqual([
      [`watched ${di.handle}`],
      [`watched ${bo.handle}+${di.handle}`],
    ]);
    const watches = (as: Actor) => call<{ items: { id: string }[] }>('GET', '/v1/me/watches', as);
    expect([(await watches(cy)).items.map(({ id }) => id), (await watches(bo)).items]).toEqual([[one], []]);
    // Of what they cannot see nobody hears, and nobody watches it.
    await call('PUT', `/v1/blocks/@${cy.handle}`, ada);
    await comment(di, one);
    await service!.house.get(Watches).announce();
    expect([await heard(cy), (await watches(cy)).items]).toEqual([[], []]);
    expect((await service!.call('PUT', `/v1/posts/${one}/watch`, { as: cy })).status).toBe(404);
  });

  test('many are told in batches, by whichever process, and each once', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const one = await post(ada);
    await service!.dataSource.query(
      `INSERT INTO users (id, handle, name) SELECT gen_random_uuid(), 'watcher_' || i, 'Watcher' FROM generate_series(1, 450) i`,
    );
    await service!.dataSource.query(
      `INSERT INTO post_watches (post_id, user_id) SELECT $1, id FROM users WHERE handle LIKE 'watcher%'`,
      [one],
    );
    // As a process leaves it that was killed before it told anybody.
    const said = await service!.dataSource.transaction(async (manager) => {
      const [{ id }] = await manager.query<[{ id: string }]>(
        `INSERT INTO comments (id, post_id, author_id, body) VALUES (new_uuid7(), $1, $2, 'Said') RETURNING id`,
        [one, bo.id],
      );
      await manager.query(`INSERT INTO comment_announcements (comment_id) VALUES ($1)`, [id]);
      return id;
    });
    await Promise.all([service!, other!].map(({ house }) => house.get(Watches).announce()));
    const [{ n }] = await service!.dataSource.query<[{ n: number }]>(
      `SELECT count(*)::integer AS n FROM notification_acts WHERE thing_id = $1 AND notification_id IS NOT NULL`,
      [said],
    );
    expect(n).toBe(450);
    expect(await service!.dataSource.query(`SELECT FROM comment_announcements`)).toEqual([]);
    await call('DELETE', `/v1/comments/${said}`, bo).catch(() => undefined);
    expect(await service!.dataSource.query(`SELECT FROM notifications WHERE target_id = $1`, [one])).toEqual([]);
  });
});

describe('an account that is deleted', () => {
  test('is told of nowhere at once, and nothing of it is left in the end', async () => {
    const [ada, bo, cy] = (await people(3)) as [Actor, Actor, Actor];
    const [hers, his] = [await post(ada), await post(bo, `Hello @${ada.handle}`)];
    for (const each of [bo, cy]) await call('PUT', `/v1/posts/${hers}/reaction`, each, { kind: 'like' });
    const said = await comment(bo, hers);
    await comment(cy, his);
    await comment(ada, hers, said);
    await call('PUT', `/v1/follows/@${ada.handle}`, bo);
    const said2 = await comment(cy, his);
    await comment(ada, his, said2);
    expect((await list(cy)).items.map(({ kind }) => kind)).toEqual(['replied']);
    // Slower than the reply: what is shown does not wait for it.
    const { dataSource } = service!;
    await dataSource.query(`UPDATE users SET erased_at = now(), handle = 'gone_x1' WHERE id = $1`, [bo.id]);
    await dataSource.query(`INSERT INTO erasures (user_id) VALUES ($1)`, [bo.id]);
    const { items, unseen } = await list(ada);
    expect([items.map(({ kind, actors }) => [kind, actors.map(({ id }) => id)]), unseen]).toEqual([
      [['reacted', [cy.id]]],
      1,
    ]);
    // On a post of theirs, too.
    expect((await list(cy)).items).toEqual([]);
    expect(await call('GET', '/v1/notifications/unseen', cy)).toEqual({ unseen: 0, more: false });
    await service!.house.get(AccountDeletion).erase();
    const [{ n }] = await dataSource.query<[{ n: number }]>(
      `SELECT count(*)::integer AS n FROM notification_acts WHERE $1 IN (actor_id, user_id, thing_id)`,
      [bo.id],
    );
    expect(n).toBe(0);
    expect((await list(ada)).items.map(({ kind, actors }) => [kind, actors.map(({ id }) => id)])).toEqual([
      ['reacted', [cy.id]],
    ]);
    expect(await faults()).toEqual([]);
  });
});

describe('what was told long ago', () => {
  test('is swept in batches, and told to nobody again', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const [old, recent] = [await post(ada), await post(ada)];
    for (const each of [old, recent]) await call('PUT', `/v1/posts/${each}/reaction`, bo, { kind: 'like' });
    const { dataSource } = service!;
    const long = `'0190' || substr(new_uuid7()::text, 5)`;
    await dataSource.query(
      `WITH moved AS (UPDATE notifications SET id = (${long})::uuid, last_at = now() - interval '91 days' WHERE target_id = $1 RETURNING id)
       UPDATE notification_acts SET notification_id = (SELECT id FROM moved) WHERE thing_id = $1 AND actor_id = $2`,
      [old, bo.id],
    );
    await service!.house.get(Notifications).sweep(90);
    expect((await list(ada)).items.map(({ postId }) => postId)).toEqual([recent]);
    await call('DELETE', `/v1/posts/${old}/reaction`, bo);
    await call('PUT', `/v1/posts/${old}/reaction`, bo, { kind: 'like' });
    expect((await list(ada)).items.map(({ postId }) => postId)).toEqual([recent]);
    expect(await faults()).toEqual([]);
  });
});

describe('what hand-written SQL leaves', () => {
  test('is found by the check, and mended', async () => {
    const [ada, bo] = (await people(2)) as [Actor, Actor];
    const one = await post(ada);
    await call('PUT', `/v1/posts/${one}/reaction`, bo, { kind: 'like' });
    await comment(bo, one);
    const { dataSource } = service!;
    await dataSource.query(
      `SET session_replication_role = replica; DELETE FROM reactions WHERE post_id = '${one}'; SET session_replication_role = origin`,
    );
    await dataSource.query(
      `INSERT INTO notifications (id, user_id, kind, target_id, post_id) VALUES (new_uuid7(), $1, 'watched', $2, $2)`,
      [ada.id, one],
    );
    await dataSource.query(
      `INSERT INTO notification_acts (thing_id, actor_id, user_id, notification_id) VALUES ($1, $1, $2, $1)`,
      [one, ada.id],
    );
    const names = async (repair: boolean) =>
      (await checkData(dataSource, { plan: PLAN, repair, model: [], progress: () => undefined }))
        .filter(({ name, count }) => count > 0 && /told|notifi|acts/.test(name))
        .map(({ name }) => name)
        .sort();
    expect(await names(false)).toEqual([
      'acts-by-nobody',
      'acts-in-no-notification',
      'notifications-of-nothing',
      'told-without-act',
    ]);
    await names(true);
    await names(true);
    expect(await names(false)).toEqual([]);
    expect((await list(ada)).items.map(({ kind }) => kind)).toEqual(['commented']);
  });
});

test('a storm of acts, deletes, blocks, marks and edits on two services leaves what is told equal to what is so', async () => {
  const random = dice(20_261);
  const actors = await people(12);
  const posts = await Promise.all(actors.slice(0, 4).map((each) => post(each)));
  const comments: { id: string; by: Actor; on: string }[] = [];
  for (let i = 0; i < 8; i++) {
    const [by, on] = [random.pick(actors), random.pick(posts)];
    comments.push({ id: await comment(by, on), by, on });
  }
  const refused = new Map<number, number>();
  const act = async (): Promise<void> => {
    const [by, whom, on, said] = [random.pick(actors), random.pick(actors), random.pick(posts), random.pick(comments)];
    const at = random.pick([service!, other!]);
    const send = async (method: string, path: string, as: Actor, body?: unknown) => {
      const reply = await at.call<{ id: string; through: string }>(method, path, {
        as,
        ...(body !== undefined && { body }),
      });
      if (reply.status >= 300) refused.set(reply.status, (refused.get(reply.status) ?? 0) + 1);
      return reply;
    };
    switch (random.int(13)) {
      case 0:
      case 1:
        return void (await send('PUT', `/v1/posts/${on}/reaction`, by, { kind: random.pick(['like', 'dislike']) }));
      case 2:
        return void (await send('DELETE', `/v1/posts/${on}/reaction`, by));
      case 3:
        return void (await send('PUT', `/v1/comments/${said.id}/reaction`, by, { kind: 'like' }));
      case 4:
        return void (await send('DELETE', `/v1/comments/${said.id}/reaction`, by));
      case 5: {
        const { status, json } = await send('POST', `/v1/posts/${on}/comments`, by, { body: `Storm @${whom.handle}` });
        if (status === 201) comments.push({ id: json.id, by, on });
        return;
      }
      case 6:
        return void (await send('POST', `/v1/posts/${said.on}/comments`, by, { body: 'Answer', parentId: said.id }));
      case 7:
        return void (await send('PATCH', `/v1/comments/${said.id}`, said.by, {
          body: random.chance(0.5) ? `Edited @${whom.handle}` : 'Edited',
        }));
      case 8:
        return void (await send('DELETE', `/v1/comments/${said.id}`, said.by));
      case 9:
        return void (await send('POST', `/v1/comments/${said.id}/restore`, said.by, {}));
      case 10:
        return void (await send(random.chance(0.5) ? 'PUT' : 'DELETE', `/v1/follows/@${whom.handle}`, by));
      case 11: {
        if (random.chance(0.6)) return void (await send('DELETE', `/v1/blocks/@${whom.handle}`, by));
        return void (await send('PUT', `/v1/blocks/@${whom.handle}`, by));
      }
      default: {
        const { json } = await send('GET', '/v1/notifications?limit=5', by);
        return void (await send('PUT', '/v1/notifications/seen', by, { through: json.through }));
      }
    }
  };
  const caller = async () => {
    for (let i = 0; i < 45; i++) await act();
  };
  await Promise.all(Array.from({ length: 14 }, caller));
  await Promise.all([service!, other!].map(({ house }) => house.get(Watches).announce()));
  // Refused for what is not so, or not theirs; never for what went wrong.
  expect([...refused.keys()].filter((status) => status >= 500 || status === 429)).toEqual([]);
  expect(await faults()).toEqual([]);
  for (const each of actors) {
    const { items, unseen } = await list(each);
    expect(unseen).toBe(items.filter((item) => item.unseen).length);
  }
});
