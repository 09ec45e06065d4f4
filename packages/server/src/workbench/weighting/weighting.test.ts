import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { FIRST_WEIGHTING, laneTime, peopleOf, placeAll, pull, type Weighting } from '@gather-lane/core';
import type { QueryRunner } from 'typeorm';
import { checkData } from '../check/service.js';
import { createDataSource } from '../../service/data-source.js';
import {
  addComments,
  addFollows,
  addPosts,
  addReactions,
  addUsers,
  dice,
  scroll,
  type FeedReply,
} from '../../tests/graph.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Weightings } from './service.js';
import { Sessions } from '../../accounts/sessions/service.js';
import { PLAN } from '../../service/capabilities.js';

interface WeightingReply {
  id: number;
  state: string;
  halfLifeMs: number;
  base: number;
  weights: Record<string, number>;
  note: string;
  by: string;
  progress: { phase: string; built: number; toBuild: number } | null;
  effect: { viewers: number; change: { kept: number } | null } | null;
}
interface TrialReply {
  now: { id: number };
  tried: { halfLifeMs: number; weights: Record<string, number> };
  viewer: {
    change: { correlation: number; kept: number };
    posts: {
      id: string;
      now: { rank: number; laneTime: string } | null;
      then: { rank: number; laneTime: string } | null;
    }[];
  } | null;
  sample: {
    viewers: number;
    change: { kept: number } | null;
    points: { ageMs: number; now: number; then: number }[];
  } | null;
}

let service: TestService;
let [viewer, author]: [Actor, Actor] = [null!, null!];
let writers: string[];
let posts: string[];
beforeAll(async () => {
  service = await startTestService();
  [viewer, author] = [await service.user('viewer'), await service.user('author')];
  writers = await addUsers(service, 12, 'writer');
  for (const user of [viewer.id, ...writers.slice(0, 5)])
    await addFollows(
      service,
      user,
      writers.filter((other) => other !== user),
    );
  const { int, pick } = dice(3);
  posts = await addPosts(
    service,
    Array.from({ length: 400 }, (_, i) => ({ author: writers[i % 12]!, secondsAgo: 60 + int(400_000) })),
  );
  await addComments(
    service,
    Array.from({ length: 500 }, () => ({ post: pick(posts), author: pick(writers) })),
  );
  await react(600, 5);
});
afterAll(() => service.stop());

async function react(count: number, seed: number): Promise<void> {
  const { pick, chance } = dice(seed);
  await addReactions(
    service,
    Array.from({ length: count }, () => ({
      post: pick(posts),
      user: pick(writers),
      kind: chance(0.8) ? 'like' : 'dislike',
    })),
  );
}

const operator = <T>(method: string, path: string, body?: unknown) =>
  service.call<T>(method, `/v1/operator${path}`, { as: service.operatorKey, body });
const history = async () => (await operator<{ items: WeightingReply[] }>('GET', '/weightings')).json.items;
const adopted = async (id: number) => {
  for (;;) {
    const { json } = await operator<WeightingReply>('GET', `/weightings/${id}`);
    if (json.state !== 'building') return json;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
};
const adopt = async (body: object) => adopted((await operator<WeightingReply>('POST', '/weightings', body)).json.id);
const wrong = async () =>
  (await checkData(service.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })).filter(
    ({ count }) => count > 0,
  );
const idsOf = async () => (await scroll(service, viewer.token, 'order=score&limit=50')).ids;

/** The whole feed as core orders it, from nothing but rows and numbers. */
async function byCore(weighting: Weighting): Promise<string[]> {
  const rows = await service.dataSource.query<
    {
      id: string;
      created_at: Date;
      comment_people: number;
      reactions: Record<string, number>;
      author_reaction: string | null;
    }[]
  >(
    `SELECT p.id, p.created_at, t.comment_people, t.reactions, t.author_reaction FROM posts p JOIN post_tallies t ON t.post_id = p.id
     WHERE p.deleted_at IS NULL AND p.author_id IN (SELECT followee_id FROM follows WHERE follower_id = $1)`,
    [viewer.id],
  );
  const candidates = rows.map((row) => ({
    id: row.id,
    authorId: '',
    createdAt: row.created_at.getTime(),
    counts: { commentPeople: row.comment_people, reactions: row.reactions, authorReaction: row.author_reaction },
  }));
  return placeAll(candidates, weighting).map(({ id }) => id);
}

describe('the law of lane time with several kinds', () => {
  test('sums the same in core and in SQL, over random weights, counts and authors’ own reactions', async () => {
    const { int, pick, chance } = dice(99);
    const kinds = ['like', 'dislike', 'wave'];
    const cases = Array.from({ length: 1_500 }, () => ({
      weights: Object.fromEntries(
        ['comment', ...kinds].filter(() => chance(0.8)).map((kind) => [kind, int(10_000) - 5_000]),
      ),
      commentPeople: int(50),
      reactions: Object.fromEntries(kinds.filter(() => chance(0.7)).map((kind) => [kind, 1 + int(300)])),
      authorReaction: chance(0.3) ? pick(kinds) : null,
    })).map((each) => ({
      ...each,
      // The author's own reaction is among those that are counted.
      authorReaction: each.authorReaction !== null && each.reactions[each.authorReaction] ? each.authorReaction : null,
    }));
    const rows = await service.dataSource.query<{ carrying: string; holding: string }[]>(
      `SELECT k.* FROM jsonb_array_elements($1::jsonb) WITH ORDINALITY AS c (value, n)
       CROSS JOIN LATERAL pull(value -> 'weights', (value ->> 'commentPeople')::integer, value -> 'reactions', value ->> 'authorReaction') k ORDER BY n`,
      [JSON.stringify(cases)],
    );
    expect(rows.map(({ carrying, holding }) => ({ carrying: Number(carrying), holding: Number(holding) }))).toEqual(
      cases.map((each) => pull({ halfLifeMs: 1, base: 1, weights: each.weights }, peopleOf(each))),
    );
  });
});

describe('trying a weighting', () => {
  const tried: Weighting = {
    halfLifeMs: 3_600_000,
    base: 1_500,
    weights: { comment: 500, like: 2_000, dislike: -1_000 },
  };
  const body = { halfLifeMs: 3_600_000, base: 1.5, weights: { comment: 0.5, like: 2 }, viewer: '@viewer' };

  test('shows the feed as it is and as it would be, exactly, and writes nothing', async () => {
    const before = await history();
    const { status, json } = await operator<TrialReply>('POST', '/weighting-trials', { ...body, depth: 60 });
    expect(status).toBe(200);
    const side = (which: 'now' | 'then') =>
      json
        .viewer!.posts.filter((post) => post[which] !== null)
        .sort((a, b) => a[which]!.rank - b[which]!.rank)
        .map(({ id }) => id);
    expect(side('now')).toEqual((await idsOf()).slice(0, 60));
    expect(side('then')).toEqual((await byCore(tried)).slice(0, 60));
    expect(side('now')).not.toEqual(side('then'));
    expect(json.tried).toEqual({ halfLifeMs: 3_600_000, base: 1.5, weights: { comment: 0.5, like: 2, dislike: -1 } });
    expect(await history()).toEqual(before);
  });

  test('of a long half-life digs up old posts, exactly too', async () => {
    const slow: Weighting = {
      halfLifeMs: 40 * 86_400_000,
      base: 4_000,
      weights: { comment: 3_000, like: 1_000, dislike: -1_000 },
    };
    const { json } = await operator<TrialReply>('POST', '/weighting-trials', {
      halfLifeMs: slow.halfLifeMs,
      viewer: '@viewer',
      depth: 30,
    });
    const then = json.viewer!.posts.filter((post) => post.then).sort((a, b) => a.then!.rank - b.then!.rank);
    expect(then.map(({ id }) => id)).toEqual((await byCore(slow)).slice(0, 30));
  });

  test.each<[string, Partial<Weighting>]>([
    ['heavier comments', { weights: { comment: 9_000, like: 1_000, dislike: -1_000 } }],
    ['lighter likes', { weights: { comment: 3_000, like: 100, dislike: -1_000 } }],
    ['likes that hold back', { weights: { comment: 3_000, like: -500, dislike: -1_000 } }],
    ['dislikes that carry', { weights: { comment: 3_000, like: 1_000, dislike: 2_000 } }],
    ['dislikes that count for nothing', { weights: { comment: 3_000, like: 1_000, dislike: 0 } }],
    ['a lower base and half the half-life', { base: 500, halfLifeMs: 4 * 3_600_000 }],
    ['a higher base and twice the half-life', { base: 20_000, halfLifeMs: 16 * 3_600_000 }],
    ['a half-life of minutes', { halfLifeMs: 600_000, weights: { comment: 5_000, like: 500, dislike: -4_000 } }],
  ])('with %s chooses exactly the posts that core places highest', async (_, changed) => {
    const numbers: Weighting = { ...FIRST_WEIGHTING, ...changed };
    const { json } = await operator<TrialReply>('POST', '/weighting-trials', {
      halfLifeMs: numbers.halfLifeMs,
      base: numbers.base / 1000,
      weights: Object.fromEntries(Object.entries(numbers.weights).map(([kind, weight]) => [kind, weight / 1000])),
      viewer: '@viewer',
      depth: 25,
    });
    const then = json.viewer!.posts.filter((post) => post.then).sort((a, b) => a.then!.rank - b.then!.rank);
    expect(then.map(({ id }) => id)).toEqual((await byCore(numbers)).slice(0, 25));
  });

  test('of a short half-life finds the new posts that are held back now', async () => {
    const [held] = await addPosts(service, [{ author: writers[0]!, secondsAgo: 5 }]);
    await addReactions(
      service,
      writers.slice(1, 9).map((user) => ({ post: held!, user, kind: 'dislike' })),
    );
    const { json } = await operator<TrialReply>('POST', '/weighting-trials', {
      halfLifeMs: 60_000,
      viewer: '@viewer',
      depth: 5,
    });
    const then = json.viewer!.posts.filter((post) => post.then).sort((a, b) => a.then!.rank - b.then!.rank);
    const highest = (await byCore({ ...FIRST_WEIGHTING, halfLifeMs: 60_000 })).slice(0, 5);
    expect(highest).toContain(held);
    expect(then.map(({ id }) => id)).toEqual(highest);
  });

  test('over a sample of viewers says how much stays, and the same numbers change nothing', async () => {
    const { json } = await operator<TrialReply>('POST', '/weighting-trials', { sample: 10 });
    expect(json.sample).toMatchObject({ viewers: 6, change: { kept: 1, correlation: 1 } });
    expect(json.sample!.points.every(({ now, then }) => now === then)).toBe(true);
    const other = (await operator<TrialReply>('POST', '/weighting-trials', { ...body, sample: 10 })).json.sample!;
    expect(other.change!.kept).toBeLessThan(1);
    expect(other.points.some(({ now, then }) => now !== then)).toBe(true);
  });

  test('refuses what is no weighting, and says what would be', async () => {
    for (const [bad, pointer] of [
      [{ weights: { lik: 2 } }, '/weights/lik'],
      [{ weights: { like: 0.0001 } }, '/weights/like'],
      [{ halfLifeMs: 5 }, '/halfLifeMs'],
      [{ base: 0 }, '/base'],
      [{ viewer: '@nobody_here' }, undefined],
    ] as const) {
      const { status, json } = await operator<{ errors?: { pointer: string; detail: string }[] }>(
        'POST',
        '/weighting-trials',
        bad,
      );
      expect([status, json.errors?.[0]?.pointer]).toEqual([pointer ? 422 : 404, pointer]);
    }
    const { json } = await operator<{ detail: string }>('POST', '/weighting-trials', { weights: { lik: 2 } });
    expect(json.detail).toContain('did you mean like?');
  });
});

describe('adopting a weighting', () => {
  test('builds it beside the old one, exact after changes in between, and measures what it did', async () => {
    const before = await idsOf();
    const done = await adopt({ halfLifeMs: 7_200_000, weights: { like: 3 }, note: 'Likes count more', by: 'ingrid' });
    expect(done).toMatchObject({
      state: 'in-force',
      note: 'Likes count more',
      by: 'ingrid',
      progress: null,
      effect: { viewers: 6 },
    });
    expect((await history())[1]).toMatchObject({ state: 'retired' });
    expect(await wrong()).toEqual([]);
    const after = await idsOf();
    expect(after).not.toEqual(before);
    expect(after).toEqual(
      await byCore({ halfLifeMs: 7_200_000, base: 4_000, weights: { comment: 3_000, like: 3_000, dislike: -1_000 } }),
    );
    // What changes afterwards moves by the new numbers.
    const { json: post } = await service.call<{ id: string; createdAt: string }>('POST', '/v1/posts', {
      as: author,
      body: { body: 'New' },
    });
    const { json } = await service.call<{ laneTime: string }>('PUT', `/v1/posts/${post.id}/reaction`, {
      as: viewer,
      body: { kind: 'like' },
    });
    const weighting = { halfLifeMs: 7_200_000, base: 4_000, weights: { like: 3_000 } };
    expect(json.laneTime).toBe(new Date(laneTime(Date.parse(post.createdAt), weighting, { like: 1 })).toISOString());
  });

  test('while it is built, writers go on, scrolls see no post twice, and nothing is lost', async () => {
    const { pick, chance } = dice(8);
    const actors = await Promise.all(
      writers.slice(0, 4).map(async (id) => (await service.house.get(Sessions).actAs(id)).accessToken!),
    );
    let done = false;
    const write = async (as: string) => {
      while (!done) {
        const post = pick(posts);
        const { status } = chance(0.3)
          ? await service.call('DELETE', `/v1/posts/${post}/reaction`, { as })
          : chance(0.5)
            ? await service.call('PUT', `/v1/posts/${post}/reaction`, { as, body: { kind: pick(['like', 'dislike']) } })
            : await service.call('POST', `/v1/posts/${post}/comments`, { as, body: { body: 'In between' } });
        expect([200, 201]).toContain(status);
      }
    };
    const scrolls = async () => {
      while (!done) {
        const { ids } = await scroll(service, viewer.token, 'order=score&limit=30');
        expect(new Set(ids).size).toBe(ids.length);
        // A scroll goes on under the weighting that it began with, and skips nothing that is there.
        expect(ids.length).toBeGreaterThan(350);
      }
    };
    const work = Promise.all([...actors.map(write), scrolls()]);
    for (const hours of [1, 12, 3])
      expect(await adopt({ halfLifeMs: hours * 3_600_000 })).toMatchObject({ state: 'in-force' });
    done = true;
    await work;
    expect(await wrong()).toEqual([]);
  }, 60_000);

  test('a scroll that began before goes on under the old weighting, and newer says that the order changed', async () => {
    const first = (
      await service.call<{ next: string; first: string; items: { id: string }[] }>(
        'GET',
        '/v1/feeds/following?order=score&limit=50',
        { as: viewer },
      )
    ).json;
    const whole = await idsOf();
    const stands = ({ id: post, laneTime: at, place }: FeedReply['items'][number]) => [
      post,
      at,
      place?.laneTime,
      place?.lift,
    ];
    const { pages } = await scroll(service, viewer.token, 'order=score&limit=50&place=true');
    const before = new Map(pages.flatMap(({ items }) => items).map((item) => [item.id, stands(item)]));
    const { id } = await adopt({ halfLifeMs: 20 * 3_600_000 });
    const ids: string[] = [];
    for (let next: string | null = first.next; next;) {
      const path: string = `/v1/feeds/following?order=score&limit=50&place=true&after=${next}`;
      const { json }: { json: FeedReply } = await service.call<FeedReply>('GET', path, { as: viewer });
      ids.push(...json.items.map((item) => item.id));
      // Explained by the numbers that put them there, not by those in force by now.
      expect(json.items.map(stands)).toEqual(json.items.map((item) => before.get(item.id)));
      next = json.next;
    }
    expect([...first.items.map((item) => item.id), ...ids]).toEqual(whole);
    const newer = await service.call('GET', `/v1/feeds/following/newer?than=${first.first}`, { as: viewer });
    expect(newer.json).toMatchObject({ reordered: true });
    // A day later its standings are gone, and the scroll with them.
    await service.dataSource.query(
      `UPDATE weightings SET in_force_until = now() - interval '26 hours' WHERE state = 'retired'`,
    );
    await service.house.get(Weightings).dropRetired();
    expect((await history()).filter(({ state }) => state === 'retired')).toEqual([]);
    const gone = await service.call('GET', `/v1/feeds/following?order=score&limit=50&after=${first.next}`, {
      as: viewer,
    });
    expect([gone.status, gone.json.type]).toEqual([410, expect.stringContaining('scroll-expired')]);
    expect((await operator<WeightingReply>('GET', `/weightings/${id}`)).json.state).toBe('in-force');
  });

  test('one goes back to an earlier one as to a new version; the same numbers again are refused', async () => {
    const [now] = await history();
    const back = await adopt({ earlier: 1, note: 'Back to the first' });
    expect(back).toMatchObject({
      id: now!.id + 1,
      halfLifeMs: 28_800_000,
      weights: { comment: 3, like: 1, dislike: -1 },
    });
    const again = await operator('POST', '/weightings', { earlier: 1 });
    expect(again.status).toBe(422);
    expect((await operator('POST', '/weightings', { earlier: 99 })).status).toBe(422);
    expect(await wrong()).toEqual([]);
  });

  test('killed at each step in turn, it goes on where it stood; cancelled, it leaves nothing behind', async () => {
    const second = createDataSource(service.database, { poolSize: 4 });
    await second.initialize();
    const elsewhere = new Weightings(second, second, ['like', 'dislike']);
    const phases = ['copying', 'indexing', 'catching up', 'measuring'];
    for (const phase of phases) {
      const id = await elsewhere.adopt(
        { halfLifeMs: 3_600_000 * (2 + phases.indexOf(phase)) },
        { note: '', by: 'a test' },
      );
      // As a process would leave it that dies right after it has entered the step.
      const dying = createDataSource(service.database, { poolSize: 2 });
      await dying.initialize();
      const query = dying.query.bind(dying);
      let died = false;
      dying.query = ((sql: string, parameters?: unknown[], runner?: QueryRunner) => {
        died ||= parameters?.includes(phase) === true || (phase === 'copying' && sql.includes('array_agg'));
        return died ? Promise.reject(new Error('killed')) : query(sql, parameters as never, runner);
      }) as typeof dying.query;
      await expect(new Weightings(dying, dying, []).build()).rejects.toThrow('killed');
      await dying.destroy();
      await react(40, 100 + id);
      await elsewhere.build();
      expect((await history())[0]).toMatchObject({ id, state: 'in-force' });
      expect(await wrong()).toEqual([]);
    }
    const id = await elsewhere.adopt({ halfLifeMs: 3_600_000 }, { note: '', by: 'a test' });
    const meanwhile = await operator<{ type: string }>('POST', '/weightings', { halfLifeMs: 7_000_000 });
    expect([meanwhile.status, meanwhile.json.type]).toEqual([409, expect.stringContaining('under-way')]);
    expect((await operator('DELETE', `/weightings/${id}`)).status).toBe(204);
    expect((await operator('DELETE', `/weightings/${id}`)).status).toBe(404);
    const [{ there }] = await service.dataSource.query<[{ there: boolean }]>(
      `SELECT to_regclass('standings_${id}') IS NOT NULL AS there`,
    );
    expect(there).toBe(false);
    expect((await history())[0]).toMatchObject({ id, state: 'cancelled' });
    await react(20, 7);
    expect(await wrong()).toEqual([]);
    await second.destroy();
  }, 60_000);

  test('a build that lost its connection is gone on with by the same process', async () => {
    const own = createDataSource(service.database, { poolSize: 4 });
    await own.initialize();
    const query = own.query.bind(own);
    let breaks = true;
    own.query = ((sql: string, parameters?: unknown[], runner?: QueryRunner) =>
      breaks && parameters?.includes('indexing')
        ? Promise.reject(new Error('Connection terminated unexpectedly'))
        : query(sql, parameters as never, runner)) as typeof own.query;
    const here = new Weightings(own, own, ['like', 'dislike']);
    const id = await here.adopt({ halfLifeMs: 5_000_000 }, { note: '', by: 'a test' });
    await expect(here.build()).rejects.toThrow('terminated');
    await expect(here.build()).rejects.toThrow('terminated');
    breaks = false;
    await here.resume();
    expect((await history())[0]).toMatchObject({ id, state: 'in-force' });
    await own.destroy();
  });

  test('stopping cuts the statement under way, and leaves the build to the next start', async () => {
    const own = createDataSource(service.database, { poolSize: 4 });
    await own.initialize();
    const here = new Weightings(own, own, ['like', 'dislike']);
    const id = await here.adopt({ halfLifeMs: 6_000_000 }, { note: '', by: 'a test' });
    // A lock that the copy has to wait for, for as long as this transaction stands.
    const holder = createDataSource(service.database, { poolSize: 1 });
    await holder.initialize();
    const runner = holder.createQueryRunner();
    await runner.startTransaction();
    await runner.query(`LOCK TABLE posts IN ACCESS EXCLUSIVE MODE`);
    const building = here.build();
    const waits = async () =>
      (
        await service.dataSource.query<unknown[]>(
          `SELECT FROM pg_locks WHERE NOT granted AND relation = 'posts'::regclass`,
        )
      ).length > 0;
    while (!(await waits())) await new Promise((resolve) => setImmediate(resolve));
    await Promise.all([here.stop(), building]);
    await runner.rollbackTransaction();
    await runner.release();
    await holder.destroy();
    expect((await history())[0]).toMatchObject({ id, state: 'building' });
    await service.house.get(Weightings).resume();
    expect((await history())[0]).toMatchObject({ id, state: 'in-force' });
    expect(await wrong()).toEqual([]);
    await own.destroy();
  });

  test('standings of a weighting that was left are kept for a day and an hour, while scrolls may go on by them', async () => {
    const [{ id }] = await service.dataSource.query<[{ id: number }]>(
      `SELECT id FROM weightings WHERE state = 'retired' ORDER BY id DESC LIMIT 1`,
    );
    const there = async () =>
      (
        await service.dataSource.query<[{ there: boolean }]>(`SELECT to_regclass($1) IS NOT NULL AS there`, [
          `standings_${id}`,
        ])
      )[0].there;
    const left = (hours: number) =>
      service.dataSource.query(
        `UPDATE weightings SET in_force_until = clock_timestamp() - make_interval(hours => $1) WHERE state = 'retired'`,
        [hours],
      );
    await left(24);
    await service.house.get(Weightings).dropRetired();
    expect(await there()).toBe(true);
    await left(26);
    await service.house.get(Weightings).dropRetired();
    expect(await there()).toBe(false);
  });
});
