import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { laneTime } from '@gather-lane/core';
import { addComments, addFollows, addPosts, addUsers, dice } from '../../tests/graph.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { COUNT_MADE_OWN, COUNT_MADE_SHARED } from './made.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

/** Everything that the triggers keep, and differs from a recount. */
async function drift(): Promise<unknown[]> {
  return service.dataSource.query<unknown[]>(`
    SELECT 'post' AS what, t.post_id AS id, t.comments, t.comment_people, r.comments AS should, r.people AS should_people
    FROM post_tallies t JOIN posts p ON p.id = t.post_id
    CROSS JOIN LATERAL (SELECT count(*)::integer AS comments, count(DISTINCT c.author_id) FILTER (WHERE c.author_id <> p.author_id)::integer AS people
                        FROM comments c WHERE c.post_id = p.id AND c.deleted_at IS NULL) r
    WHERE (t.comments, t.comment_people) <> (r.comments, r.people)
    UNION ALL
    SELECT 'user', t.user_id, t.followers, t.following, r.followers, r.following FROM user_tallies t
    CROSS JOIN LATERAL (SELECT (SELECT count(*) FROM posts WHERE author_id = t.user_id AND deleted_at IS NULL)::integer AS posts,
                               (SELECT count(*) FROM follows WHERE followee_id = t.user_id)::integer AS followers,
                               (SELECT count(*) FROM follows WHERE follower_id = t.user_id)::integer AS following) r
    WHERE (t.posts, t.followers, t.following) <> (r.posts, r.followers, r.following)
    UNION ALL
    SELECT 'commenter', coalesce(n.post_id, r.post_id), n.n, 0, r.n, 0
    FROM post_commenters n FULL JOIN (SELECT post_id, author_id AS user_id, count(*)::integer AS n FROM comments WHERE deleted_at IS NULL GROUP BY 1, 2) r USING (post_id, user_id)
    WHERE n.n IS DISTINCT FROM r.n
    UNION ALL
    SELECT 'standing', p.id, 0, 0, 0, 0
    FROM posts p JOIN post_tallies t ON t.post_id = p.id JOIN weightings w ON w.in_force FULL JOIN standings s ON s.post_id = p.id
    WHERE s.lane_time IS DISTINCT FROM CASE WHEN p.deleted_at IS NULL THEN
      lane_time(p.created_at, w.half_life_ms, w.base, (w.weights ->> 'comment')::bigint * t.comment_people, 0)::timestamptz(3) END`);
}

describe('the law of lane time', () => {
  test('is the same in core and in SQL, over random input', async () => {
    const { int } = dice(42);
    const cases = Array.from({ length: 4_000 }, () => ({
      at: Date.UTC(2000, 0, 1) + int(3e12),
      halfLifeMs: 60_000 + int(30 * 86_400_000),
      base: 1 + int(100_000),
      carrying: int(2) * int(1e9),
      holding: int(2) * int(1e9),
    }));
    const column = <K extends keyof (typeof cases)[number]>(key: K) => cases.map((c) => c[key]);
    const rows = await service.dataSource.query<{ ms: string }[]>(
      `SELECT (extract(epoch FROM lane_time(at, h, b, p, n)::timestamptz(3)) * 1000)::bigint AS ms
       FROM unnest($1::timestamptz[], $2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[]) WITH ORDINALITY AS c (at, h, b, p, n, i) ORDER BY i`,
      [
        column('at').map((ms) => new Date(ms).toISOString()),
        column('halfLifeMs'),
        column('base'),
        column('carrying'),
        column('holding'),
      ],
    );
    const core = cases.map(({ at, halfLifeMs, base, carrying, holding }) =>
      laneTime(at, { halfLifeMs, base, weights: { up: 1, down: -1 } }, { up: carrying, down: holding }),
    );
    expect(rows.map((row) => Number(row.ms))).toEqual(core);
  });
});

describe('tallies and standings', () => {
  test('stay exact through a storm of comments and deletes by the same people at once', async () => {
    const people = await Promise.all(Array.from({ length: 5 }, () => service.user()));
    const ids = await addPosts(
      service,
      people.slice(0, 3).map((author) => ({ author: author.id, secondsAgo: 60 })),
    );
    const { int, pick, chance } = dice(7);
    const storm = async (as: (typeof people)[number]) => {
      const mine: string[] = [];
      for (let i = 0; i < 40; i++) {
        if (mine.length > 0 && chance(0.45))
          await service.call('DELETE', `/v1/comments/${mine.splice(int(mine.length), 1)[0]}`, { as });
        else {
          const { status, json } = await service.call<{ id: string }>('POST', `/v1/posts/${pick(ids)}/comments`, {
            as,
            body: { body: 'x' },
          });
          expect(status).toBe(201);
          mine.push(json.id);
        }
      }
    };
    // Everybody twice: the same person adds one comment while deleting another.
    await Promise.all([...people, ...people].map(storm));
    expect(await drift()).toEqual([]);
  });

  test('follow hand-written SQL: bulk changes, soft deletes, restores, moves in time and cascades', async () => {
    const users = await addUsers(service, 12, 'cascade');
    const { pick, int, chance } = dice(11);
    for (const user of users)
      await addFollows(
        service,
        user,
        users.filter((other) => other !== user && chance(0.6)),
      );
    const ids = await addPosts(
      service,
      Array.from({ length: 60 }, () => ({ author: pick(users), secondsAgo: int(5_000) })),
    );
    const comments = await addComments(
      service,
      Array.from({ length: 300 }, () => ({ post: pick(ids), author: pick(users) })),
    );
    expect(await drift()).toEqual([]);
    const some = <T>(from: T[]) => from.filter(() => chance(0.3));
    await service.dataSource.query(`UPDATE comments SET deleted_at = now() WHERE id = ANY ($1)`, [some(comments)]);
    await service.dataSource.query(`UPDATE posts SET deleted_at = now() WHERE id = ANY ($1)`, [some(ids)]);
    expect(await drift()).toEqual([]);
    await service.dataSource.query(`UPDATE comments SET deleted_at = NULL WHERE id = ANY ($1)`, [some(comments)]);
    await service.dataSource.query(
      `UPDATE posts SET deleted_at = NULL, created_at = created_at - interval '1 day' WHERE id = ANY ($1)`,
      [some(ids)],
    );
    await service.dataSource.query(`DELETE FROM comments WHERE id = ANY ($1)`, [some(comments)]);
    await service.dataSource.query(`DELETE FROM follows WHERE follower_id = ANY ($1)`, [users.slice(0, 3)]);
    expect(await drift()).toEqual([]);
    await service.dataSource.query(`DELETE FROM posts WHERE id = ANY ($1)`, [some(ids)]);
    await service.dataSource.query(`DELETE FROM users WHERE id = ANY ($1)`, [users.slice(0, 5)]);
    expect(await drift()).toEqual([]);
  });

  test('are counted at once by every transaction but the one that says that it counts later', async () => {
    const author = await service.user();
    const runner = service.dataSource.createQueryRunner();
    const made = `INSERT INTO posts (id, author_id, body) VALUES (gen_random_uuid(), $1, 'Counted') RETURNING id`;
    const counted = async () =>
      (await runner.query(
        `SELECT posts, (SELECT count(*)::integer FROM posts p JOIN post_tallies t ON t.post_id = p.id WHERE p.author_id = $1) AS tallies
         FROM user_tallies WHERE user_id = $1`,
        [author.id],
      )) as object[];
    await runner.query(made, [author.id]);
    await runner.startTransaction();
    // Left behind on purpose: set for the connection, not for the transaction.
    await runner.query(`SELECT set_config('gather_lane.counts_later', pg_current_xact_id()::text, false)`);
    const [{ id }] = (await runner.query(made, [author.id])) as [{ id: string }];
    expect(await counted()).toEqual([{ posts: 1, tallies: 1 }]);
    for (const count of [COUNT_MADE_OWN, COUNT_MADE_SHARED]) await runner.query(count, [[id]]);
    expect(await counted()).toEqual([{ posts: 2, tallies: 2 }]);
    await runner.commitTransaction();
    await runner.query(made, [author.id]);
    expect(await counted()).toEqual([{ posts: 3, tallies: 3 }]);
    expect(await drift()).toEqual([]);
    await runner.query(`RESET gather_lane.counts_later`);
    await runner.release();
  });

  test('the database itself refuses what should not be', async () => {
    const [a, b] = await addUsers(service, 2, 'refused');
    const [post, elsewhere] = await addPosts(service, [
      { author: a!, secondsAgo: 1 },
      { author: b!, secondsAgo: 1 },
    ]);
    const [comment] = await addComments(service, [{ post: elsewhere!, author: a! }]);
    const refused = (sql: string, parameters: unknown[]) =>
      expect(service.dataSource.query(sql, parameters)).rejects.toThrow();
    await refused(`INSERT INTO follows (follower_id, followee_id) VALUES ($1, $1)`, [a]);
    await refused(`INSERT INTO posts (id, author_id, body) VALUES (gen_random_uuid(), $1, repeat('x', 4001))`, [a]);
    await refused(
      `INSERT INTO comments (id, post_id, author_id, body, parent_id) VALUES (gen_random_uuid(), $1, $2, 'x', $3)`,
      [post, a, comment],
    );
    await refused(`UPDATE users SET handle = 'Not A Handle' WHERE id = $1`, [a]);
    await refused(
      `INSERT INTO weightings (id, half_life_ms, base, weights, in_force) VALUES (2, 60000, 1, '{}', true)`,
      [],
    );
  });
});
