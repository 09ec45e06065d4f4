import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { addFollows, addPosts, addUsers } from '../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';

interface PlaceReply {
  inFeed: boolean;
  reason: string | null;
  remedy: string | null;
  sentence: string;
  place: { laneTime: string } | null;
  above: { postId: string; toPass: { kind: string; people: number }[]; sentence: string } | null;
}

let service: TestService;
let [viewer, friend, stranger]: [Actor, Actor, Actor] = [null!, null!, null!];
let posts: string[];
beforeAll(async () => {
  service = await startTestService();
  [viewer, friend, stranger] = [
    await service.user('viewer'),
    await service.user('friend'),
    await service.user('stranger'),
  ];
  await addFollows(service, viewer.id, [friend.id]);
  posts = await addPosts(
    service,
    [60, 14_400, 21_600].map((secondsAgo) => ({ author: friend.id, secondsAgo })),
  );
});
afterAll(() => service.stop());

const own = (post: string) => service.call<PlaceReply>('GET', `/v1/feeds/following/places/${post}`, { as: viewer });
const told = async (post: string, user = '@viewer') =>
  (await service.call<PlaceReply>('GET', `/v1/operator/places/${user}/${post}`, { as: service.operatorKey })).json;

describe('a place', () => {
  test('says what would carry the post past the one above, and that many do', async () => {
    const [top, second] = [posts[0]!, posts[1]!];
    expect((await own(top)).json).toMatchObject({ inFeed: true, above: null });
    const { json } = await own(second);
    expect(json.above).toMatchObject({ postId: top });
    expect(json.above!.sentence).toMatch(
      /^To pass the post above it, by @friend, it would take 1 more person who comments, or 2 more people who like it\.$/,
    );
    const likes = json.above!.toPass.find(({ kind }) => kind === 'like')!.people;
    const crowd = await addUsers(service, likes, 'crowd');
    const react = (users: string[]) =>
      service.dataSource.query(`INSERT INTO reactions (post_id, user_id, kind) SELECT $1, unnest($2::uuid[]), 'like'`, [
        second,
        users,
      ]);
    const feed = async () =>
      (
        await service.call<{ items: { id: string }[] }>('GET', '/v1/feeds/following?order=score', { as: viewer })
      ).json.items.map(({ id }) => id);
    await react(crowd.slice(1));
    expect((await feed())[0]).toBe(top);
    await react(crowd.slice(0, 1));
    expect((await feed())[0]).toBe(second);
    expect((await own(second)).json.above).toBeNull();
  });

  test('of a post that is not in the feed says why, and what it would take', async () => {
    const [elsewhere] = await addPosts(service, [{ author: stranger.id, secondsAgo: 5 }]);
    expect(await told(elsewhere!)).toMatchObject({
      inFeed: false,
      reason: 'not-followed',
      place: null,
      remedy: 'It takes following @stranger.',
    });
    await addFollows(service, viewer.id, [stranger.id]);
    expect(await told(elsewhere!)).toMatchObject({ inFeed: true, reason: null });
    await service.call('PUT', '/v1/mutes/@stranger', { as: viewer });
    expect(await told(elsewhere!)).toMatchObject({
      reason: 'muted',
      remedy: 'It takes lifting the mute on @stranger.',
    });
    await service.call('DELETE', '/v1/mutes/@stranger', { as: viewer });
    await service.call('PUT', '/v1/blocks/@stranger', { as: viewer });
    expect(await told(elsewhere!)).toMatchObject({ reason: 'blocked' });
    await service.call('DELETE', '/v1/blocks/@stranger', { as: viewer });
    await service.call('PUT', '/v1/blocks/@viewer', { as: stranger });
    expect(await told(elsewhere!)).toMatchObject({ reason: 'hidden' });
    // The user themselves is not told that it is there at all.
    expect((await own(elsewhere!)).status).toBe(404);
    await service.call('DELETE', '/v1/blocks/@viewer', { as: stranger });
    await service.dataSource.query(`UPDATE posts SET deleted_at = now(), removal = 'withheld' WHERE id = $1`, [
      elsewhere,
    ]);
    expect(await told(elsewhere!)).toMatchObject({ reason: 'withheld', remedy: 'A moderator can restore it.' });
    expect((await own(elsewhere!)).status).toBe(404);
  });
});

describe('looking closely at a page', () => {
  test('shows the very statements that served it, their plan, and where its posts stand', async () => {
    const { status, json } = await service.call<{
      statements: { does: string; sql: string; rows: number }[];
      plan: { does: string; part: string | null; depth: number }[];
      posts: { id: string }[];
    }>('GET', '/v1/operator/feeds/@viewer/inspection?order=score&limit=2', { as: service.operatorKey });
    expect(status).toBe(200);
    expect(json.statements.map(({ does, rows }) => [does, rows])).toEqual([
      ['The page: which posts, and what they show', 3],
    ]);
    expect(json.statements[0]!.sql).toMatch(/^WITH entries AS MATERIALIZED/);
    expect(json.plan[0]!.depth).toBe(0);
    expect(json.plan.map(({ part }) => part)).toContain('entries');
    const feed = await service.call<{ items: { id: string }[] }>('GET', '/v1/feeds/following?order=score&limit=2', {
      as: viewer,
    });
    expect(json.posts.map(({ id }) => id)).toEqual(feed.json.items.map(({ id }) => id));
  });
});
