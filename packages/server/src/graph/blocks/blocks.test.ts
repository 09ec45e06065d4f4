import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

let service: TestService;
let [odile, bram, kit]: Actor[] = [];
beforeAll(async () => {
  service = await startTestService();
  [odile, bram, kit] = await Promise.all(['odile', 'bram', 'kit'].map((handle) => service.user(handle)));
});
afterAll(() => service.stop());

type Ids = { items: { id: string; body: string; author: { handle: string } }[] };
const call = (method: string, path: string, as?: Actor, body?: unknown) =>
  service.call(method, path, { ...(as && { as }), ...(body !== undefined && { body }) });
const post = async (as: Actor, body: string) => (await call('POST', '/v1/posts', as, { body })).json.id as string;
const comment = async (as: Actor, on: string, body: string) =>
  (await call('POST', `/v1/posts/${on}/comments`, as, { body })).json.id as string;
const bodies = async (path: string, as?: Actor) =>
  (await service.call<Ids>('GET', path, as ? { as } : {})).json.items.map(({ body }) => body);

describe('muting', () => {
  test('is silent, and hides posts in the feed and comments anywhere, of strangers too', async () => {
    await call('PUT', '/v1/follows/@bram', odile);
    const mine = await post(odile!, 'Mine');
    await post(bram!, 'By the muted');
    await comment(kit!, mine, 'By a stranger');
    await comment(bram!, mine, 'A word by the muted');
    expect(await bodies('/v1/feeds/following?order=recent', odile)).toEqual(['By the muted', 'Mine']);
    for (const whom of ['@bram', '@kit']) expect((await call('PUT', `/v1/mutes/${whom}`, odile)).status).toBe(201);
    expect((await call('PUT', '/v1/mutes/@kit', odile)).status).toBe(200);
    expect(await bodies('/v1/feeds/following?order=recent', odile)).toEqual(['Mine']);
    expect(await bodies('/v1/feeds/following?order=score', odile)).toEqual(['Mine']);
    expect(await bodies(`/v1/posts/${mine}/comments`, odile)).toEqual([]);
    expect(await bodies('/v1/posts', odile)).toEqual(['Mine']);
    // Everybody else reads on, the muted one among them, to whom nothing says that they are.
    expect(await bodies(`/v1/posts/${mine}/comments`, bram)).toHaveLength(2);
    const seen = await call('GET', '/v1/users/@odile', bram);
    expect(seen.json.relation).toEqual({ youFollow: false, followsYou: true, muted: false, blocked: false });
    expect((await call('GET', '/v1/users/@bram', odile)).json.relation).toMatchObject({ muted: true, youFollow: true });
    expect((await call('GET', '/v1/mutes', odile)).json).toMatchObject({
      items: [{ handle: 'kit' }, { handle: 'bram' }],
    });
    for (const whom of ['@bram', '@kit']) expect((await call('DELETE', `/v1/mutes/${whom}`, odile)).status).toBe(204);
    expect(await bodies('/v1/feeds/following?order=recent', odile)).toEqual(['By the muted', 'Mine']);
  });

  test('the operator is told that a mute keeps a post out of a feed', async () => {
    await call('PUT', '/v1/mutes/@bram', odile);
    const [{ id }] = (await service.call<Ids>('GET', '/v1/users/@bram/posts')).json.items as [Ids['items'][number]];
    const place = await service.call('GET', `/v1/operator/places/@odile/${id}`, { as: service.operatorKey });
    expect(place.json).toMatchObject({ inFeed: false, reason: 'muted' });
    await call('DELETE', '/v1/mutes/@bram', odile);
  });
});

describe('blocking', () => {
  test('shows nothing of the blocker, and keeps the other from following and commenting', async () => {
    const [blocker, blocked] = [await service.user('hester'), await service.user('ned')];
    const theirs = await post(blocker, 'By the blocker');
    const ofBlocked = await post(blocked, 'By the blocked');
    const word = await comment(blocker, ofBlocked, 'A word by the blocker');
    await call('PUT', '/v1/follows/@hester', blocked);
    await call('PUT', '/v1/follows/@ned', blocker);
    expect((await call('PUT', '/v1/blocks/@ned', blocker)).status).toBe(201);
    const hidden: [string, string, unknown?][] = [
      ['GET', '/v1/users/@hester'],
      ['GET', `/v1/users/${blocker.id}/posts`],
      ['GET', '/v1/users/@hester/followers'],
      ['GET', `/v1/posts/${theirs}`],
      ['GET', `/v1/posts/${theirs}/comments`],
      ['GET', `/v1/comments/${word}`],
      ['POST', `/v1/posts/${theirs}/comments`, { body: 'let me in' }],
      ['PATCH', `/v1/posts/${theirs}`, { body: 'mine now' }],
      ['DELETE', `/v1/posts/${theirs}`],
      ['PUT', '/v1/follows/@hester'],
      ['PUT', '/v1/mutes/@hester'],
    ];
    for (const [method, path, body] of hidden)
      expect([method, path, (await call(method, path, blocked, body)).status]).toEqual([method, path, 404]);
    expect(await bodies('/v1/posts', blocked)).not.toContain('By the blocker');
    expect(await bodies(`/v1/posts/${ofBlocked}/comments`, blocked)).toEqual([]);
    const people = (await service.call<{ items: { handle: string }[] }>('GET', '/v1/users?q=hest', { as: blocked }))
      .json;
    expect(people.items).toEqual([]);
    const counts = (await call('GET', '/v1/users/@ned', blocked)).json.tallies;
    expect(counts).toMatchObject({ followers: 0, following: 0 });
    // The blocker still finds whom they block, so that the block can be lifted.
    expect((await call('GET', '/v1/users/@ned', blocker)).json.relation).toMatchObject({
      blocked: true,
      youFollow: false,
    });
    expect((await call('PUT', '/v1/follows/@ned', blocker)).status).toBe(409);
    expect((await call('DELETE', '/v1/blocks/@ned', blocker)).status).toBe(204);
    expect((await call('PUT', '/v1/follows/@hester', blocked)).status).toBe(201);
  });

  test('a block that is answered by a block can be lifted by either', async () => {
    const [a, b] = [await service.user('ann_a'), await service.user('ben_b')];
    await service.dataSource.query(`INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2), ($2, $1)`, [
      a.id,
      b.id,
    ]);
    expect((await call('DELETE', '/v1/blocks/@ben_b', a)).status).toBe(204);
    expect(await service.dataSource.query(`SELECT blocker_id FROM blocks WHERE blocked_id = $1`, [a.id])).toHaveLength(
      1,
    );
  });

  test('nobody keeps away from themselves, or from somebody made up', async () => {
    expect((await call('PUT', '/v1/blocks/@kit', kit)).status).toBe(422);
    expect((await call('PUT', '/v1/mutes/@nobody_there', kit)).status).toBe(404);
    expect((await call('PUT', '/v1/blocks/@kit')).status).toBe(401);
  });

  test('follow and block at the same instant never both stand', async () => {
    for (let round = 0; round < 25; round++) {
      const [a, b] = [await service.user(), await service.user()];
      await Promise.all([
        call('PUT', `/v1/follows/${a.id}`, b),
        call('PUT', `/v1/blocks/${b.id}`, a),
        call('PUT', `/v1/follows/${b.id}`, a),
      ]);
      const follows = await service.dataSource.query<unknown[]>(
        `SELECT FROM follows WHERE $1 IN (follower_id, followee_id) AND $2 IN (follower_id, followee_id)`,
        [a.id, b.id],
      );
      expect(follows).toHaveLength(0);
    }
  });

  test('holds no moderator back', async () => {
    const [author, moderator] = [await service.user(), await service.user('keeper')];
    const id = await post(author, 'To be looked at');
    await call('PUT', '/v1/blocks/@keeper', author);
    expect((await call('GET', `/v1/posts/${id}`, moderator)).status).toBe(404);
    await service.call('PUT', '/v1/operator/moderators/@keeper', { as: service.operatorKey });
    expect((await call('GET', `/v1/posts/${id}`, moderator)).status).toBe(200);
  });

  test('holds under posts of others, too: no reaction to, and no answer under, what the blocker said there', async () => {
    const [blocker, blocked, host] = await Promise.all([service.user(), service.user(), service.user()]);
    const on = await post(host, 'Come in, all of you');
    const said = await comment(blocker, on, 'By the blocker');
    expect((await call('PUT', `/v1/blocks/@${blocked.handle}`, blocker)).status).toBe(201);
    const react = await call('PUT', `/v1/comments/${said}/reaction`, blocked, { kind: 'like' });
    const answer = await call('POST', `/v1/posts/${on}/comments`, blocked, { body: 'Still here', parentId: said });
    expect([react.status, answer.status]).toEqual([404, 422]);
    expect((await call('GET', `/v1/comments/${said}/reactions`, blocked)).status).toBe(404);
    const [row] = await service.dataSource.query<{ n: number }[]>(
      `SELECT (SELECT count(*) FROM comment_reactions) + (SELECT count(*) FROM comments WHERE parent_id = $1) AS n`,
      [said],
    );
    expect(Number(row!.n)).toBe(0);
  });

  test('and who was muted or blocked is not among those who reacted', async () => {
    const [reader, muted, blocked, kind, host] = await Promise.all(Array.from({ length: 5 }, () => service.user()));
    const on = await post(host!, 'Liked by three');
    for (const each of [muted!, blocked!, kind!]) await call('PUT', `/v1/posts/${on}/reaction`, each, { kind: 'like' });
    await call('PUT', `/v1/mutes/@${muted!.handle}`, reader);
    await call('PUT', `/v1/blocks/@${blocked!.handle}`, reader);
    const handles = async (as?: Actor) =>
      (
        await service.call<{ items: { user: { handle: string } }[] }>(
          'GET',
          `/v1/posts/${on}/reactions`,
          as ? { as } : {},
        )
      ).json.items
        .map(({ user }) => user.handle)
        .sort();
    expect(await handles(reader)).toEqual([kind!.handle]);
    expect(await handles()).toHaveLength(3);
    expect(await handles(blocked)).toHaveLength(3);
  });
});
