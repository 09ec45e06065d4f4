import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import type { DataSource } from 'typeorm';
import { createDataSource } from '../../service/data-source.js';
import { addComments, addFollows, addPosts, addUsers } from '../../tests/graph.js';
import { makeDatabase } from '../../tests/test-database.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { planMigration } from './migration/plan.js';
import { describeModel, modelAsMermaid, modelAsSql } from './describe.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService({
    model: {
      posts: { fields: { lockNumber: { type: 'integer', maximum: 21 }, order: { type: 'string', enum: [`it's`] } } },
      users: { fields: { friend: { references: 'users' }, call: { type: 'string', unique: true } } },
    },
  });
  const users = await addUsers(service, 3, 'modelled');
  await addFollows(service, users[0]!, users.slice(1));
  const posts = await addPosts(service, [{ author: users[0]!, secondsAgo: 5 }]);
  await addComments(service, [{ post: posts[0]!, author: users[1]! }]);
});
afterAll(() => service.stop());

/** A database with nothing in it, not even our tables. */
async function blank(): Promise<{ dataSource: DataSource; client: pg.Client; drop: () => Promise<void> }> {
  const { address, drop } = await makeDatabase();
  const client = new pg.Client(address);
  await client.connect();
  await client.query(`DROP SCHEMA public CASCADE; CREATE SCHEMA public`);
  const dataSource = createDataSource(address, { poolSize: 2 });
  await dataSource.initialize();
  return {
    dataSource,
    client,
    drop: async () => {
      await client.end();
      await dataSource.destroy();
      await drop();
    },
  };
}

describe('the model', () => {
  test('is read from the database itself: tables, rows, columns, rules, indexes', async () => {
    const tables = await describeModel(service.dataSource);
    const table = (name: string) => tables.find((found) => found.name === name)!;
    expect(tables.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['users', 'posts', 'follows', 'comments', 'weightings']),
    );
    expect(tables.map(({ name }) => name)).not.toContain('gather_lane_migrations');
    expect([table('users').rows, table('follows').rows, table('comments').rows]).toEqual([3, 2, 1]);
    expect(table('posts').columns).toContainEqual({
      name: 'edited_at',
      type: 'timestamp(3) with time zone',
      nullable: true,
      default: null,
      comment: null,
    });
    expect(table('follows').constraints).toContainEqual(
      expect.objectContaining({ kind: 'primary key', columns: ['follower_id', 'followee_id'] }),
    );
    expect(table('comments').constraints).toContainEqual(
      expect.objectContaining({
        name: 'comments_parent',
        refersTo: 'comments',
        columns: ['post_id', 'parent_id'],
        definition: expect.stringContaining('ON DELETE SET NULL (parent_id)'),
      }),
    );
    expect(table('posts').indexes.find((index) => index.name === 'posts_recent')).toMatchObject({
      bytes: expect.any(Number),
      definition: expect.stringContaining('WHERE (deleted_at IS NULL)'),
    });
    expect(table('post_tallies').columns.find((column) => column.name === 'comment_people')!.comment).toContain(
      'other than the author',
    );
  });

  test('as SQL makes the same model in an empty database, with triggers that count', async () => {
    const empty = await blank();
    await empty.client.query(await modelAsSql(service.dataSource));
    const plain = (tables: Awaited<ReturnType<typeof describeModel>>) =>
      tables.map(({ name, columns, constraints, indexes }) => ({
        name,
        columns: columns.map(({ comment: _, ...column }) => column),
        constraints,
        indexes: indexes.map(({ bytes: _, ...index }) => index),
      }));
    expect(plain(await describeModel(empty.dataSource))).toEqual(plain(await describeModel(service.dataSource)));
    await empty.client.query(
      `INSERT INTO weightings (id, half_life_ms, base, weights, in_force, state) VALUES (1, 60000, 1, '{}', true, 'in-force')`,
    );
    await empty.client.query(`INSERT INTO users (id, handle, name) VALUES (gen_random_uuid(), 'somebody', 'Somebody')`);
    await empty.client.query(`INSERT INTO posts (id, author_id, body) SELECT gen_random_uuid(), id, 'x' FROM users`);
    expect((await empty.client.query(`SELECT posts FROM user_tallies`)).rows).toEqual([{ posts: 1 }]);
    await empty.drop();
  });

  test('as SQL holds own fields with their rules, so that nothing is left to migrate', async () => {
    const empty = await blank();
    await empty.client.query(await modelAsSql(service.dataSource));
    expect((await planMigration(empty.dataSource, service.house.config.model, {})).changes).toEqual([]);
    await empty.drop();
  });

  test('as Mermaid names every table, its keys, and who refers to whom how often', async () => {
    const text = modelAsMermaid(await describeModel(service.dataSource));
    expect(text).toMatch(/^erDiagram\n/);
    expect(text).toContain('  users ||--o{ posts : "author_id"');
    expect(text).toContain('  posts ||--o| post_tallies : "post_id"');
    expect(text).toContain('  comments |o--o{ comments : "parent_id"');
    expect(text).toMatch(/ {2}follows \{\n {4}uuid follower_id PK, FK\n {4}uuid followee_id PK, FK/);
    expect(text).toContain('timestamp_3_with_time_zone created_at');
  });
});
