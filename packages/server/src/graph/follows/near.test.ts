import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { addFollows, addPosts, addUsers } from '../../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';

interface Near {
  user: { id: string; handle: string };
  followedBy: { handles: string[]; count: number };
  postsLately: number;
  sentence: string;
}

let service: TestService;
let viewer: Actor;
let friends: string[];
let people: string[];
beforeAll(async () => {
  service = await startTestService();
  viewer = await service.user('viewer');
  friends = await addUsers(service, 4, 'friend');
  people = await addUsers(service, 6, 'person');
  await addFollows(service, viewer.id, friends);
  // Person n is followed by the first n friends.
  for (const [n, person] of people.slice(0, 5).entries())
    for (const friend of friends.slice(0, n)) await addFollows(service, friend, [person]);
  await addFollows(service, friends[0]!, [viewer.id, friends[1]!]);
  await addPosts(
    service,
    people.map((author) => ({ author, secondsAgo: 600 })),
  );
});
afterAll(() => service.stop());

const near = async (as: Actor = viewer) =>
  (await service.call<{ items: Near[] }>('GET', '/v1/follows/near', { as })).json.items;
const handles = async (as?: Actor) => (await near(as)).map(({ user }) => user.handle);

describe('near one’s follows', () => {
  test('are people followed by those whom one follows, the most first, with the reason', async () => {
    const found = await near();
    expect(found.map(({ user, followedBy }) => [user.handle, followedBy.count])).toEqual([
      ['person_4', 4],
      ['person_3', 3],
      ['person_2', 2],
      ['person_1', 1],
    ]);
    expect(found.at(-1)!.sentence).toBe('Followed by @friend_0, whom you follow. 1 post in the last 14 days.');
    expect(found[0]!.sentence).toMatch(/^Followed by @friend_\d, @friend_\d and 2 others, whom you follow\./);
  });

  test('leave out who is followed already, muted, blocked or blocking, and who has not posted lately', async () => {
    await addFollows(service, viewer.id, [people[4]!]);
    await service.call('PUT', '/v1/mutes/@person_3', { as: viewer });
    expect(await handles()).toEqual(['person_2', 'person_1']);
    await service.call('PUT', '/v1/blocks/@person_2', { as: viewer });
    await service.dataSource.query(`UPDATE posts SET created_at = now() - interval '15 days' WHERE author_id = $1`, [
      people[1],
    ]);
    await service.dataSource.query(`INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2)`, [
      people[5],
      viewer.id,
    ]);
    // Nobody near is left: the lively ones of all, less the same.
    expect(await handles()).toEqual(['person_0']);
  });

  test('of who follows nobody are the lively ones; nobody is for oneself, or for who is not signed in', async () => {
    const newcomer = await service.user('newcomer');
    const found = await near(newcomer);
    expect(found.map(({ user }) => user.handle).sort()).toEqual([
      'person_0',
      'person_2',
      'person_3',
      'person_4',
      'person_5',
    ]);
    expect(found.every(({ followedBy }) => followedBy.count === 0)).toBe(true);
    // The most followed comes first.
    expect(found[0]!.user.handle).toBe('person_4');
    expect((await service.call('GET', '/v1/follows/near')).status).toBe(401);
  });
});
