import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { PLAN } from '../../service/capabilities.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { checkData } from '../../workbench/check/service.js';
import { readAnew } from '../reading/back-fill.js';
import type { ThreadView } from './schema.js';

let service: TestService;
let [odile, bram]: [Actor, Actor] = [null!, null!];
beforeAll(async () => {
  service = await startTestService();
  [odile, bram] = [await service.user('odile'), await service.user('bram')];
});
afterAll(() => service.stop());

test('a database from before threads has them afterwards, with every count, and its texts are read', async () => {
  const { dataSource } = service;
  const undone = dataSource.migrations.findIndex(({ name }) => name?.startsWith('Conversation'));
  for (let n = dataSource.migrations.length; n > undone; n--) await dataSource.undoLastMigration();
  const [{ post }] = await dataSource.query<[{ post: string }]>(
    `INSERT INTO posts (id, author_id, body) VALUES (gen_random_uuid(), $1, 'From before, @bram #Before') RETURNING id AS post`,
    [odile.id],
  );
  const ids: string[] = [];
  for (let depth = 0; depth < 7; depth++) {
    const [{ id }] = await dataSource.query<[{ id: string }]>(
      `INSERT INTO comments (id, post_id, parent_id, author_id, body, created_at)
       VALUES (gen_random_uuid(), $1, $2, $3, $4, now() - interval '1 day' + $5 * interval '1 minute') RETURNING id`,
      [post, ids.at(-1) ?? null, depth % 2 ? bram.id : odile.id, `Depth ${depth}, @odile`, depth],
    );
    ids.push(id);
  }
  await dataSource.query(`INSERT INTO comment_reactions (comment_id, user_id, kind) VALUES ($1, $2, 'like')`, [
    ids[0],
    bram.id,
  ]);
  await dataSource.query(`UPDATE comments SET deleted_at = now(), removal = 'owner' WHERE id = $1`, [ids[2]]);
  await dataSource.runMigrations();
  expect(await readAnew(dataSource)).toBe(8);

  const { items } = (
    await service.call<{ items: ThreadView[] }>('GET', `/v1/posts/${post}/comments?sort=oldest`, { as: odile })
  ).json;
  expect(items.map(({ id, depth, marker }) => [id, depth, marker])).toEqual(
    ids.map((id, i) => [id, Math.min(i, 4), i === 2 ? 'deleted' : null]),
  );
  expect(items[0]!.tallies).toMatchObject({ replies: 1, people: 1, reactions: { like: 1 } });
  expect(items[6]!.answers).toEqual({ comment: ids[5], handle: 'bram' });
  expect(items[0]!.spans).toMatchObject([{ kind: 'mention', user: odile.id }]);
  const { status, json } = await service.call<{ tallies: object }>('GET', '/v1/hashtags/before');
  expect([status, json.tallies]).toEqual([200, { posts: 1, people: 1 }]);
  const found = await checkData(dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined });
  expect(found.filter(({ count }) => count > 0)).toEqual([]);
});
