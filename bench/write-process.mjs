// One of two processes that react to one post at the same time.
import { createDataSource } from '../packages/server/dist/index.js';
import { acts, drive } from './write.mjs';

process.once('message', async ({ address, people, posts, seconds }) => {
  const pool = createDataSource(address, { poolSize: 8 });
  await pool.initialize();
  const { 'reactions on one post, combined': react } = await acts(pool, people, posts);
  const { perSecond } = await drive(react, 64, seconds);
  process.send(perSecond);
});
