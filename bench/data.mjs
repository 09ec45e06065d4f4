// The data of the benchmarks: a cluster of its own in .bench/<size>, made by `fill` once and used again.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { createDataSource, fill, makeDataFolder, migrate, PLAN, startCluster } from '../packages/server/dist/index.js';
import { root } from '../scripts/steps.mjs';

export const SIZES = {
  small: { users: 3_000, posts: 40_000, follows: 120_000, comments: 20_000, reactions: 100_000 },
  medium: { users: 20_000, posts: 200_000, follows: 800_000, comments: 100_000, reactions: 500_000 },
  large: { users: 100_000, posts: 2_000_000, follows: 8_000_000, comments: 1_000_000, reactions: 5_000_000 },
  words: { users: 20_000, posts: 2_000_000, follows: 200_000, comments: 0, reactions: 3_000_000 },
  huge: { users: 100_000, posts: 10_000_000, follows: 8_000_000, comments: 1_000_000, reactions: 5_000_000 },
};
const DAYS = 90;
/** Viewers of each follow count, and how many posts their feeds hold at least. */
const VIEWERS = 10;
const FOLLOWS = [20, 200, 1_000, 5_000];
const LEAST_POSTS = 800;
const PAGE = 20;

/** Opens the data of a size; fills it first where it is not there yet. */
export async function openData(size) {
  const folder = process.env.BENCH_DATA ? join(process.env.BENCH_DATA, size) : join(root, '.bench', size);
  mkdirSync(folder, { recursive: true });
  makeDataFolder(folder);
  const cluster = await startCluster(folder, console.error);
  const dataSource = createDataSource(cluster.address, { poolSize: 8 });
  await dataSource.initialize();
  await migrate(dataSource);
  const [{ posts }] = await dataSource.query(`SELECT count(*)::integer AS posts FROM posts`);
  if (posts < SIZES[size].posts) {
    console.error(`· Filling ${SIZES[size].posts.toLocaleString('en-GB')} posts and what belongs to them, once`);
    const order = { ...SIZES[size], kinds: ['like', 'dislike'], days: DAYS, seed: 1 };
    await fill(dataSource, posts > 0 ? 'again' : order, {
      plan: PLAN,
      amongReal: false,
      model: [],
      progress: () => undefined,
    });
  }
  const viewers = await makeViewers(dataSource);
  await dataSource.query(`VACUUM (ANALYZE)`);
  return {
    dataSource,
    address: cluster.address,
    viewers,
    async close() {
      await dataSource.destroy();
      await cluster.stop();
    },
  };
}

/** Viewers by group: random ones of the fill, and some who follow exactly so many, with enough posts to scroll. */
async function makeViewers(dataSource) {
  const [{ authors }] = await dataSource.query(`SELECT count(*)::integer AS authors FROM user_tallies WHERE posts > 0`);
  const groups = {};
  for (const follows of FOLLOWS.filter((n) => n < authors)) {
    for (let i = 0; i < VIEWERS; i++)
      await dataSource.query(
        // Authors of enough posts each, so that the feed can be scrolled to its fortieth page.
        `WITH made AS (
           INSERT INTO users (id, handle, name) VALUES (gen_random_uuid(), $1, $1) ON CONFLICT (handle) DO NOTHING RETURNING id)
         INSERT INTO follows (follower_id, followee_id)
         SELECT made.id, a.user_id FROM made, LATERAL (
           SELECT user_id FROM user_tallies WHERE posts >= $3 ORDER BY hashtextextended(user_id::text, $4) LIMIT $2) a`,
        [`bench_${follows}_${i}`, follows, Math.ceil((1.3 * LEAST_POSTS) / follows), i],
      );
    groups[follows] = await dataSource.query(`SELECT id, handle FROM users WHERE handle LIKE $1 ORDER BY handle`, [
      `bench\\_${follows}\\_%`,
    ]);
  }
  const random = await dataSource.query(
    `SELECT u.id, u.handle FROM user_tallies t JOIN users u ON u.id = t.user_id
     WHERE t.following > 0 AND u.handle NOT LIKE 'bench%' AND (
       SELECT sum(p.posts) FROM follows f JOIN user_tallies p ON p.user_id = f.followee_id WHERE f.follower_id = t.user_id) >= ${LEAST_POSTS}
     ORDER BY hashtextextended(u.handle, 11) LIMIT ${VIEWERS}`,
  );
  return { random, ...groups };
}

/** The pages that are measured: the first, the tenth, the fortieth. */
export const PAGES = [1, 10, 40];
/** Where a first page begins: above every entry. */
export const LAST = ['infinity', 'ffffffff-ffff-ffff-ffff-ffffffffffff'];
export { PAGE };
