import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { addComments, addFollows, addPosts, addUsers, dice } from '../../tests/graph.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { checkData } from './service.js';
import { PLAN } from '../../service/capabilities.js';

let service: TestService;
let posts: string[];
let users: string[];
beforeAll(async () => {
  service = await startTestService();
  const { pick, int } = dice(3);
  users = await addUsers(service, 10, 'checked');
  for (const user of users.slice(1)) await addFollows(service, user, [users[0]!]);
  posts = await addPosts(
    service,
    Array.from({ length: 1_200 }, () => ({ author: pick(users), secondsAgo: int(9_000) })),
  );
  await addComments(
    service,
    Array.from({ length: 600 }, () => ({ post: pick(posts), author: pick(users) })),
  );
});
afterAll(() => service.stop());

/** Hand-written SQL past triggers, keys and checks. */
const force = async (sql: string, parameters: unknown[] = []) => {
  await service.dataSource.transaction(async (manager) => {
    await manager.query(`SET LOCAL session_replication_role = replica`);
    await manager.query(sql, parameters);
  });
};
const run = (repair = false) =>
  checkData(service.dataSource, { plan: PLAN, repair, model: [], progress: () => undefined });
const found = async () =>
  Object.fromEntries(
    (await run()).filter((finding) => finding.count > 0).map((finding) => [finding.name, finding.count]),
  );

beforeEach(async () => expect(await found()).toEqual({}));

describe('check data', () => {
  const broken: [string, string, () => Promise<void>, number][] = [
    [
      'a post that two edits at once had bricked',
      'versions-ahead',
      () =>
        force(
          `INSERT INTO post_versions (post_id, version, body, pictures, created_at) SELECT id, version, 'as it was', '[]', created_at FROM posts WHERE id = ANY ($1)`,
          [posts.slice(0, 3)],
        ),
      3,
    ],
    [
      'a comment count that drifted',
      'post-tallies',
      () => force(`UPDATE post_tallies SET comments = comments + 2 WHERE post_id = ANY ($1)`, [posts.slice(0, 700)]),
      700,
    ],
    [
      'a count of people that drifted',
      'post-tallies',
      () => force(`UPDATE post_tallies SET comment_people = comment_people + 1 WHERE post_id = $1`, [posts[0]]),
      1,
    ],
    [
      'followers that drifted',
      'user-tallies',
      () => force(`UPDATE user_tallies SET followers = 99 WHERE user_id = $1`, [users[0]]),
      1,
    ],
    [
      'a user without a row of counts',
      'users-without-tally',
      () => force(`DELETE FROM user_tallies WHERE user_id = $1`, [users[3]]),
      1,
    ],
    [
      'a post without a row of counts',
      'posts-without-tally',
      () => force(`DELETE FROM post_tallies WHERE post_id = $1`, [posts[3]]),
      1,
    ],
    [
      'somebody’s number of comments',
      'commenters',
      () =>
        force(
          `UPDATE post_commenters SET n = n + 1 WHERE (post_id, user_id) = (SELECT post_id, user_id FROM post_commenters LIMIT 1)`,
        ),
      1,
    ],
    [
      'a missing standing',
      'standings-missing',
      () => force(`DELETE FROM standings_1 WHERE post_id = $1`, [posts[5]]),
      1,
    ],
    [
      'a standing at another time',
      'standings-wrong',
      () => force(`UPDATE standings_1 SET lane_time = lane_time + interval '1 ms' WHERE post_id = $1`, [posts[6]]),
      1,
    ],
    [
      'a standing under another author',
      'standings-wrong',
      () =>
        force(
          `UPDATE standings_1 SET author_id = (SELECT id FROM users WHERE id <> author_id LIMIT 1) WHERE post_id = $1`,
          [posts[7]],
        ),
      1,
    ],
    [
      'pictures that a post does not have',
      'shown-pictures',
      () => force(`UPDATE posts SET pictures = '[]' WHERE id = $1`, [posts[9]]),
      1,
    ],
    [
      'a face that is nobody’s',
      'picture-files',
      () => force(`UPDATE users SET picture_file = 'other-96.webp' WHERE id = $1`, [users[4]]),
      1,
    ],
  ];
  test.each(broken)('finds %s (%s), and mends it', async (_, name, breakIt, count) => {
    await breakIt();
    expect((await found())[name]).toBe(count);
    const repaired = (await run(true)).filter((finding) => finding.count > 0);
    expect(repaired.find((finding) => finding.name === name)!.repaired).toBe(count);
  });

  test('a post that it freed is edited again', async () => {
    const writer = await service.user();
    const { json } = await service.call<{ id: string }>('POST', '/v1/posts', { as: writer, body: { body: 'One' } });
    await force(
      `INSERT INTO post_versions (post_id, version, body, pictures, created_at) VALUES ($1, 1, 'One', '[]', now())`,
      [json.id],
    );
    await run(true);
    const edit = await service.call('PATCH', `/v1/posts/${json.id}`, { as: writer, body: { body: 'Two' } });
    expect([edit.status, edit.json.body]).toEqual([200, 'Two']);
  });

  test('finds an address of a picture that is none', async () => {
    await force(`ALTER TABLE users DROP CONSTRAINT users_picture_link_form`);
    await force(`UPDATE users SET picture_link = 'https://x.example/bilder/j\u00FCrgen.jpg' WHERE id = $1`, [users[2]]);
    expect(await found()).toEqual({ 'picture-links': 1 });
    // It is nobody's answer: the lists show it as it is.
    expect((await service.call('GET', '/v1/users')).status).toBe(200);
    await force(`UPDATE users SET picture_link = NULL WHERE id = $1`, [users[2]]);
  });

  test('finds a post that was deleted past the triggers: a left-over standing and a wrong count', async () => {
    await force(`UPDATE posts SET deleted_at = now() WHERE id = $1`, [posts[8]]);
    expect(await found()).toMatchObject({ 'standings-left-over': 1, 'user-tallies': 1 });
    await run(true);
  });

  test('finds, with an example and the query, what cannot be mended for one', async () => {
    const stranger = '0190a000-0000-7000-8000-00000000abcd';
    await force(`ALTER TABLE follows DROP CONSTRAINT follows_not_self`);
    await force(`INSERT INTO follows (follower_id, followee_id) VALUES ($1, $1)`, [users[1]]);
    await force(`INSERT INTO follows (follower_id, followee_id) VALUES ($1, $2)`, [users[1], stranger]);
    await force(`UPDATE posts SET created_at = now() + interval '1 day' WHERE id = $1`, [posts[9]]);
    const findings = await run(true);
    const self = findings.find((finding) => finding.name === 'self-follows')!;
    expect(self).toMatchObject({ count: 1, repaired: null, examples: [{ id: users[1], found: 'follows themselves' }] });
    expect(await service.dataSource.query(self.query)).toHaveLength(1);
    expect(findings.find((finding) => finding.name === 'follows-without-followee')).toMatchObject({
      count: 1,
      examples: [{ id: stranger }],
    });
    expect(findings.find((finding) => finding.name === 'posts-of-the-future')).toMatchObject({ count: 1 });
    await force(`DELETE FROM follows WHERE follower_id = followee_id OR followee_id = $1`, [stranger]);
    await force(`UPDATE posts SET created_at = now() - interval '1 day' WHERE id = $1`, [posts[9]]);
    await run(true);
  });

  test('mends while people write, and ends right', async () => {
    await force(`UPDATE post_tallies SET comments = comments + 5`);
    const writer = await service.user();
    const write = async () => {
      for (let i = 0; i < 25; i++)
        await service.call('POST', `/v1/posts/${posts[i]}/comments`, { as: writer, body: { body: 'meanwhile' } });
    };
    await Promise.all([run(true), write(), write()]);
  });

  test('mends what a post gathers under beside an edit that is not committed yet, and goes by the edit', async () => {
    const as = await service.user();
    const { json } = await service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body: 'Low at the #ebb' } });
    await force(`DELETE FROM post_hashtags WHERE post_id = $1`, [json.id]);
    const edit = service.dataSource.createQueryRunner();
    await edit.startTransaction();
    await edit.query(`UPDATE posts SET body = 'Low', spans = '[]' WHERE id = $1`, [json.id]);
    let mended = false;
    const mending = run(true).finally(() => (mended = true));
    const waits = async () => {
      const waiting = `SELECT FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`;
      return (await service.dataSource.query<unknown[]>(waiting)).length > 0;
    };
    while (!mended && !(await waits()));
    await edit.commitTransaction();
    await edit.release();
    await mending;
    expect(await found()).toEqual({});
  });

  test('every check has a name of its own and a query that runs', async () => {
    expect(new Set(PLAN.checks.map((check) => check.name)).size).toBe(PLAN.checks.length);
    const progress: string[] = [];
    const all = await checkData(service.dataSource, {
      plan: PLAN,
      repair: false,
      model: [],
      progress: (name) => progress.push(name),
    });
    expect(all.map((finding) => finding.name)).toEqual(PLAN.checks.map((check) => check.name));
    expect(progress).toHaveLength(PLAN.checks.length + 1);
  });
});
