import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { checkData } from '../../../workbench/check/service.js';
import { addComments, addFollows, addPosts, addUsers } from '../../../tests/graph.js';
import { startTestService, type TestService } from '../../../tests/test-service.js';
import { AccountDeletion } from './service.js';
import { PLAN } from '../../../service/capabilities.js';

let service: TestService;
const password = 'narrowboat crew';
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

async function member(handle: string) {
  await service.call('POST', '/v1/users', {
    body: { name: `Name of ${handle}`, handle, email: `${handle}@cut.example`, password },
  });
  const { json } = await service.call('POST', '/v1/sessions', { body: { login: handle, password } });
  return { id: (json.user as { id: string }).id, handle, token: json.accessToken as string };
}
const faults = async () => {
  const found = await checkData(service.dataSource, {
    plan: PLAN,
    repair: false,
    model: [],
    progress: () => undefined,
  });
  return found.filter(({ count }) => count > 0).map(({ name }) => name);
};
const rows = async (table: string, where: string, id: string) =>
  (
    await service.dataSource.query<[{ n: number }]>(`SELECT count(*)::integer AS n FROM ${table} WHERE ${where}`, [id])
  )[0].n;

describe('deleting an account', () => {
  test('takes the password, and is the owner’s alone', async () => {
    const [me, other] = [await member('leaver'), await member('stays')];
    const path = `/v1/users/${me.id}`;
    expect((await service.call('DELETE', path, { as: me, body: { password: 'wrong password' } })).status).toBe(422);
    expect((await service.call('DELETE', path, { as: me, body: { handle: 'leaver' } })).status).toBe(422);
    expect((await service.call('DELETE', path, { as: other, body: { password } })).status).toBe(403);
    expect((await service.call('GET', path)).status).toBe(200);
  });

  test('takes effect at once: nothing of it is seen, and no session is left', async () => {
    const [me, reader] = [await member('gone_soon'), await member('reader')];
    const { json: post } = await service.call('POST', '/v1/posts', { as: me, body: { body: 'My last word' } });
    const theirs = (await service.call('POST', '/v1/posts', { as: reader, body: { body: 'Theirs' } })).json
      .id as string;
    const say = async (as: string, body: string, parentId?: string) =>
      (
        await service.call('POST', `/v1/posts/${theirs}/comments`, {
          as,
          body: { body, ...(parentId && { parentId }) },
        })
      ).json.id as string;
    const answered = await say(me.token, 'A question');
    await say(reader.token, 'An answer', answered);
    await say(me.token, 'Nobody answers this');
    await service.call('PUT', '/v1/follows/@gone_soon', { as: reader });
    // The job is held back, as though the service had been killed: what counts is what the one transaction did.
    const runner = service.dataSource.createQueryRunner();
    await runner.query(`SELECT pg_advisory_lock(hashtext('gather-lane erase'))`);
    expect((await service.call('DELETE', `/v1/users/@gone_soon`, { as: me, body: { password } })).status).toBe(204);
    const seen = async (path: string, as?: string) => (await service.call('GET', path, as ? { as } : {})).status;
    expect(await seen('/v1/me', me.token)).toBe(401);
    for (const path of [`/v1/users/${me.id}`, '/v1/users/@gone_soon', `/v1/posts/${post.id as string}`])
      expect([path, await seen(path), await seen(path, reader.token)]).toEqual([path, 404, 404]);
    const feed = await service.call('GET', '/v1/feeds/following', { as: reader });
    expect((feed.json.items as unknown[]).length).toBe(1);
    expect((await service.call('POST', '/v1/sessions', { body: { login: 'gone_soon', password } })).status).toBe(401);
    // Kept free: nobody is mistaken for who left. The e-mail may be used again.
    const again = (handle: string) =>
      service.call('POST', '/v1/users', { body: { name: 'New', handle, email: 'gone_soon@cut.example', password } });
    expect([(await again('gone_soon')).status, (await again('newcomer_here')).status]).toEqual([409, 201]);
    expect(await faults()).toEqual([]);
    await runner.query(`SELECT pg_advisory_unlock_all()`);
    await runner.release();

    expect(await service.house.get(AccountDeletion).erase()).toBeGreaterThan(0);
    expect(await rows('users', 'id = $1', me.id)).toBe(0);
    const { json } = await service.call<{ items: object[] }>('GET', `/v1/posts/${theirs}/comments?sort=oldest`);
    expect(json.items).toMatchObject([
      { id: answered, author: null, body: '' },
      { body: 'An answer', parentId: answered },
    ]);
    expect((await service.call('GET', `/v1/posts/${theirs}`)).json.tallies).toMatchObject({ comments: 1 });
    expect(await faults()).toEqual([]);
  });

  test('erases thousands of rows in batches, from wherever it was interrupted, with every count right throughout', async () => {
    const me = await member('prolific');
    const others = await addUsers(service, 40, 'friends');
    await addFollows(service, me.id, others);
    for (const other of others) await addFollows(service, other, [me.id]);
    const posts = await addPosts(
      service,
      Array.from({ length: 1_200 }, (_, i) => ({ author: i % 2 ? me.id : others[i % 40]!, secondsAgo: i })),
    );
    await addComments(
      service,
      Array.from({ length: 3_000 }, (_, i) => ({ post: posts[i % 1_200]!, author: i % 3 ? me.id : others[i % 40]! })),
    );
    const said = await addComments(
      service,
      Array.from({ length: 900 }, (_, i) => ({ post: posts[(i * 2) % 1_200]!, author: others[i % 40]! })),
    );
    for (const [table, things] of [
      ['reactions (post_id', posts],
      ['comment_reactions (comment_id', said],
    ] as const)
      await service.dataSource.query(
        `INSERT INTO ${table}, user_id, kind) SELECT unnest($1::uuid[]), u.id, 'like' FROM unnest($2::uuid[]) AS u (id)`,
        [things, [me.id, others[0]]],
      );
    await service.call('DELETE', `/v1/users/${me.id}`, { as: me, body: { password } });
    // Connections that break in the middle, again and again, leave the rest for the next run.
    const kill = `SELECT pg_terminate_backend(pid) FROM pg_stat_activity
      WHERE datname = current_database() AND query LIKE '%DELETE FROM%' AND pid <> pg_backend_pid()`;
    for (let i = 0; i < 10; i++) {
      await service.dataSource.query(kill).catch(() => undefined);
      await service.house
        .get(AccountDeletion)
        .erase()
        .catch(() => 0);
      expect(await faults()).toEqual([]);
    }
    while ((await rows('users', 'id = $1', me.id)) > 0) await service.house.get(AccountDeletion).erase();
    for (const [table, where] of [
      ['users', 'id = $1'],
      ['posts', 'author_id = $1'],
      ['comments', 'author_id = $1'],
      ['reactions', 'user_id = $1'],
      ['comment_reactions', 'user_id = $1'],
      ['follows', '$1 IN (follower_id, followee_id)'],
      ['post_commenters', 'user_id = $1'],
      ['erasures', 'user_id = $1'],
    ] as const)
      expect([table, await rows(table, where, me.id)]).toEqual([table, 0]);
    expect(await faults()).toEqual([]);
  });
});

describe('changing the handle', () => {
  test('keeps the old one for its owner for 30 days', async () => {
    const [me, other] = [await member('old_name'), await member('envious')];
    const rename = (as: { token: string; id: string }, handle: string) =>
      service.call('PATCH', `/v1/users/${as.id}`, { as: as.token, body: { handle } });
    expect((await rename(me, '@New_Name')).json.handle).toBe('new_name');
    expect((await service.call('GET', '/v1/users/@old_name')).status).toBe(404);
    expect((await rename(other, 'old_name')).json).toMatchObject({ status: 409, errors: [{ pointer: '/handle' }] });
    expect((await rename(other, 'new_name')).status).toBe(409);
    expect((await rename(me, 'old_name')).status).toBe(200);
    expect((await rename(other, 'new_name')).status).toBe(409);
    await service.dataSource.query(`UPDATE reserved_handles SET reserved_until = clock_timestamp()`);
    expect((await rename(other, 'new_name')).status).toBe(200);
    for (const bad of ['me', 'x', 'a b c', 'ünnamed']) expect((await rename(me, bad)).status).toBe(422);
  });

  test('is for a few times only: nobody takes good handles out of use', async () => {
    const me = await member('restless');
    const rename = async (handle: string) =>
      (await service.call('PATCH', `/v1/users/${me.id}`, { as: me.token, body: { handle } })).status;
    expect([await rename('restless_b'), await rename('restless_c'), await rename('restless_d')]).toEqual([
      200, 200, 200,
    ]);
    expect(await rename('restless_e')).toBe(422);
  });
});

describe('hiding a profile from those not signed in', () => {
  test('hides posts and comments too, from nobody but them', async () => {
    const [shy, friend] = [await member('shy'), await member('friend')];
    const { json: post } = await service.call('POST', '/v1/posts', { as: shy.token, body: { body: 'For friends' } });
    const set = await service.call('PATCH', '/v1/users/@shy', { as: shy.token, body: { audience: 'signed-in' } });
    expect(set.json.audience).toBe('signed-in');
    for (const path of [
      '/v1/users/@shy',
      '/v1/users/@shy/posts',
      '/v1/users/@shy/posts.atom',
      `/v1/posts/${post.id as string}`,
    ])
      expect([path, (await service.call('GET', path)).status]).toEqual([path, 404]);
    const listed = (await service.call<{ items: { handle: string }[] }>('GET', '/v1/users?q=shy')).json.items;
    const everybodys = (await service.call<{ items: { id: string }[] }>('GET', '/v1/posts')).json.items;
    expect([listed, everybodys.map(({ id }) => id).includes(post.id as string)]).toEqual([[], false]);
    expect((await service.call('GET', '/v1/users/@shy', { as: friend.token })).json).toMatchObject({ audience: null });
    expect((await service.call('GET', `/v1/posts/${post.id as string}`, { as: friend.token })).status).toBe(200);
  });
});
