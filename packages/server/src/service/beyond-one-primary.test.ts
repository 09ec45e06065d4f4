import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { bucketOf, type FindWay } from '@gather-lane/core';
import pg from 'pg';
import { JobRunner } from '../ground/jobs/runner.js';
import { dice } from '../tests/graph.js';
import { expectFeedsOf, expectPlainFeeds, randomGraph, type FeedReader } from '../tests/plain-feeds.js';
import { makeDatabase, type TestDatabase } from '../tests/test-database.js';
import { startTestService, type Actor, type TestService } from '../tests/test-service.js';
import { wrongIn } from '../tests/wrong-data.js';

// What docs/decisions/beyond-one-primary.md says: the service as it is, on tables in partitions by the bucket of their ids.

let database: TestDatabase;
let service: TestService;
beforeAll(async () => {
  database = await makeDatabase();
  await apply('beyond-one-primary.sql');
  service = await startTestService({ on: database.address });
});
afterAll(async () => {
  await service.stop();
  await database.drop();
});

async function apply(schema: string, { address } = database): Promise<void> {
  const client = new pg.Client(address);
  await client.connect();
  await client.query(readFileSync(`docs/decisions/${schema}`, 'utf8'));
  await client.end();
}

const post = async (as: Actor, body: string) =>
  (await service.call<{ id: string }>('POST', '/v1/posts', { as, body: { body } })).json.id;
const partsOf = (tables: string[], column: string, id: string) =>
  Promise.all(
    tables.map(async (table) => {
      const rows = await service.dataSource.query<{ part: string }[]>(
        `SELECT DISTINCT substring(tableoid::regclass::text FROM '\\d+$') AS part FROM ${table} WHERE ${column} = $1`,
        [id],
      );
      return rows.map(({ part }) => part);
    }),
  );

describe('posts in partitions', () => {
  test('are where their authors say, with all that belongs to them', async () => {
    const [ann, bram] = [await service.user('ann'), await service.user('bram')];
    const ids = [await post(ann, 'By the lock, @bram. #moorings'), await post(ann, 'And on')];
    expect(ids.map(bucketOf)).toEqual([bucketOf(ann.id), bucketOf(ann.id)]);
    const { json: comment } = await service.call<{ id: string }>('POST', `/v1/posts/${ids[0]}/comments`, {
      as: bram,
      body: { body: 'So it is, @ann' },
    });
    expect(bucketOf(comment.id)).toBe(bucketOf(ann.id));
    const liked = await service.call('PUT', `/v1/posts/${ids[0]}/reaction`, { as: bram, body: { kind: 'like' } });
    expect(liked).toMatchObject({ status: 200 });
    await service.call('PATCH', `/v1/posts/${ids[0]}`, { as: ann, body: { body: 'By the lock gate. #moorings' } });
    const ofPost = ['post_tallies', 'standings_1', 'post_versions', 'post_hashtags', 'post_commenters', 'reactions'];
    const ofComment = ['comments', 'comment_tallies', 'comment_mentions'];
    const parts = [
      ...(await partsOf(['posts'], 'id', ids[0]!)),
      ...(await partsOf([...ofPost, 'comments'], 'post_id', ids[0]!)),
      ...(await partsOf(['comments'], 'id', comment.id)),
      ...(await partsOf(ofComment.slice(1), 'comment_id', comment.id)),
    ];
    expect(parts).toEqual(parts.map(() => parts[0]));
    expect(parts[0]).toHaveLength(1);
  });

  test.each<[FindWay, number]>([
    ['window', 21],
    ['sweep', 22],
    ['probe', 23],
    ['heads', 24],
  ])('give the feeds that one table would, looked for by %s, seed %i', (way, seed) =>
    expectPlainFeeds(service, way, seed),
  );

  test('are counted and placed exactly, by the triggers that there are, whatever was done', async () => {
    const actors = await Promise.all(Array.from({ length: 6 }, () => service.user()));
    const ids = await Promise.all(actors.map((as) => post(as, 'To be reacted to')));
    for (const [i, as] of actors.entries()) {
      await Promise.all(
        ids.map((id, n) =>
          n % 3 === i % 3
            ? service.call('POST', `/v1/posts/${id}/comments`, { as, body: { body: 'Here too' } })
            : service.call('PUT', `/v1/posts/${id}/reaction`, { as, body: { kind: n % 2 ? 'like' : 'dislike' } }),
        ),
      );
      if (i === 2) await service.call('DELETE', `/v1/posts/${ids[2]}`, { as });
      if (i === 3) await service.call('DELETE', `/v1/posts/${ids[1]}/reaction`, { as });
    }
    await service.dataSource.query(`DELETE FROM users WHERE id = $1`, [actors[5]!.id]);
    expect(await wrongIn(service.dataSource)).toEqual([]);
    const [row] = await service.dataSource.query<{ posts: number; comments: number }[]>(
      `SELECT (SELECT count(*) FROM posts WHERE id = $1)::integer AS posts, (SELECT count(*) FROM comments WHERE author_id = $2)::integer AS comments`,
      [ids[5], actors[5]!.id],
    );
    expect(row).toEqual({ posts: 0, comments: 0 });
  });
});

describe('posts distributed by a column', () => {
  const rolled = { ...dice(25), seed: 25 };
  let other: TestDatabase;
  let apart: TestService;
  let readers: FeedReader[];
  beforeAll(async () => {
    other = await makeDatabase();
    apart = await startTestService({ on: other.address });
    readers = await randomGraph(apart, rolled);
    // What it does by itself writes, and no bucket.
    await apart.house.get(JobRunner).stop();
    await apply('beyond-one-primary-by-column.sql', other);
  });
  afterAll(async () => {
    await apart.stop();
    await other.drop();
  });

  test.each<FindWay>(['window', 'sweep', 'probe', 'sieve', 'heads'])('give the same feeds, looked for by %s', (way) =>
    expectFeedsOf(apart, readers, way, rolled),
  );

  test('have their bucket in each unique key and in each foreign key to one another, and in each row that of its id', async () => {
    const query = <T>(sql: string) => apart.dataSource.query<T[]>(sql);
    const parted = `c.relkind = 'p' AND c.relnamespace = 'public'::regnamespace`;
    const without = await query<{ name: string }>(`
      SELECT i.indexrelid::regclass::text AS name FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid
      JOIN pg_attribute a ON a.attrelid = c.oid AND a.attname = 'bucket' WHERE ${parted} AND i.indisunique AND i.indkey[0] <> a.attnum
      UNION ALL
      SELECT f.conname FROM pg_constraint f JOIN pg_class c ON c.oid = f.conrelid JOIN pg_class r ON r.oid = f.confrelid
      JOIN pg_attribute a ON a.attrelid = c.oid AND a.attname = 'bucket'
      WHERE ${parted} AND f.contype = 'f' AND r.relkind = 'p' AND f.conkey[1] <> a.attnum`);
    expect(without).toEqual([]);
    const keys = await query<{ n: number }>(`
      SELECT count(*)::integer AS n FROM pg_constraint f JOIN pg_class c ON c.oid = f.conrelid JOIN pg_class r ON r.oid = f.confrelid
      WHERE ${parted} AND f.contype = 'f' AND r.relkind = 'p' AND f.conparentid = 0`);
    expect(keys[0]!.n).toBeGreaterThan(15);
    const [post] = await query<{ id: string; bucket: number }>(
      `SELECT p.id, p.bucket FROM posts p JOIN comments c ON c.post_id = p.id JOIN reactions r ON r.post_id = p.id LIMIT 1`,
    );
    expect(post!.bucket).toBe(bucketOf(post!.id));
    await expect(query(`UPDATE posts SET bucket = (bucket + 1) % 1024 WHERE id = '${post!.id}'`)).rejects.toThrow(
      'posts_bucket',
    );
    // What belongs to a post goes with it, by keys that hold within the bucket.
    await query(`DELETE FROM posts WHERE id = '${post!.id}'`);
    const left = await query<{ n: number }>(`
      SELECT (SELECT count(*) FROM comments WHERE post_id = '${post!.id}') + (SELECT count(*) FROM reactions WHERE post_id = '${post!.id}')
        + (SELECT count(*) FROM post_tallies WHERE post_id = '${post!.id}') AS n`);
    expect(Number(left[0]!.n)).toBe(0);
  });
});
