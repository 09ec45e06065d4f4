// Writing: reactions combined and with a transaction each, and the other acts, by how many callers.
import { fork } from 'node:child_process';
import { join } from 'node:path';
import { checkData, createDataSource, PLAN } from '../packages/server/dist/index.js';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { percentiles } from './load.mjs';
import { printTable } from './table.mjs';

const CALLERS = [1, 8, 32, 128];
const SECONDS = 4;
const dist = (path) => import(join(root, 'packages/server/dist', path));

/** The acts that are measured, each as one call of a caller. */
async function acts(dataSource, people, posts) {
  const { Reactions } = await dist('posts/reactions/service.js');
  const { react } = await dist('posts/reactions/queries.js');
  const { Comments } = await dist('posts/comments/service.js');
  const { Posts } = await dist('posts/posts/service.js');
  const { Follows } = await dist('graph/follows/service.js');
  const { Watches } = await dist('posts/watches/service.js');
  const { Users } = await dist('accounts/users/service.js');
  const { PublicAddress } = await dist('ground/http/public-address.js');
  const { Cursors } = await dist('ground/http/cursors.js');
  const { Pages } = await dist('ground/http/pagination.js');
  const address = new PublicAddress('http://localhost');
  const pages = new Pages(new Cursors(dataSource));
  const reactions = new Reactions(dataSource, pages, address);
  const alone = react('post');
  const store = new Posts(dataSource, pages, address, []);
  const watches = new Watches(dataSource, dataSource, { posts: store, pages });
  const comments = new Comments(dataSource, { posts: store, watches, pages, address }, [], 4);
  const follows = new Follows(dataSource, new Users(dataSource, pages, address, []), 10_000);
  const person = (i) => people[(i * 31) % people.length];
  // Another kind each time that the turn comes to the same person, so that every act changes something.
  const KINDS = ['like', 'dislike', null];
  const kind = (i) => KINDS[(i + Math.floor(i / people.length)) % 3];
  const anyPost = (i) => posts[(i * 17) % posts.length];
  return {
    'reactions on one post, combined': (i) => reactions.onPost(posts[0], person(i), kind(i)),
    'reactions on one post, each': (i) => dataSource.query(alone, [[posts[0]], [person(i)], [kind(i)]]),
    'reactions on random posts, combined': (i) => reactions.onPost(anyPost(i), person(i), kind(i)),
    'reactions on random posts, each': (i) => dataSource.query(alone, [[anyPost(i)], [person(i)], [kind(i)]]),
    'comments': (i) => comments.create(anyPost(i), { kind: 'user', id: person(i) }, 'Said in passing.', null),
    'posts': (i) => store.create(person(i), { body: 'Written in passing.' }),
    'follows': (i) => follows.follow(person(i), person(i + 1 + (i % 97))),
  };
}

async function drive(act, callers, seconds) {
  const times = [];
  const end = performance.now() + seconds * 1000;
  let n = Math.floor(Math.random() * 1e6);
  const caller = async () => {
    while (performance.now() < end) {
      const started = performance.now();
      await act(n++);
      times.push(performance.now() - started);
    }
  };
  await Promise.all(Array.from({ length: callers }, caller));
  return { perSecond: times.length / seconds, count: times.length, ...percentiles(times) };
}

/** @returns how many times as many reactions a second on one post, at the most callers */
export async function benchWrite(size) {
  const data = await openData(size);
  try {
    const { people, posts } = await pick(data.dataSource);
    const pool = createDataSource(data.address, { poolSize: 12 });
    await pool.initialize();
    const wal = async () =>
      Number((await data.dataSource.query(`SELECT pg_wal_lsn_diff(pg_current_wal_lsn(), '0/0') AS at`))[0].at);
    const [rows, rates] = [[], {}];
    const all = Object.entries(await acts(pool, people, posts));
    // Warm: plans made, the posts' pages in memory and written once since the last checkpoint.
    for (const [, act] of all) await drive(act, 8, 1);
    for (const [name, act] of all)
      for (const callers of CALLERS) {
        const before = await wal();
        const found = await drive(act, callers, SECONDS);
        const bytes = ((await wal()) - before) / Math.max(1, found.count);
        rates[`${name} ${callers}`] = found.perSecond;
        rows.push([
          `${name}, ${callers}`,
          Math.round(found.perSecond),
          found.p50.toFixed(1),
          found.p99.toFixed(1),
          Math.round(bytes),
        ]);
      }
    const two = await twoProcesses(data.address, people, posts);
    rows.push(['reactions on one post, combined, two processes of 64', Math.round(two), '', '', '']);
    printTable('Acts, callers', ['acts, callers', 'a second', 'p50 ms', 'p99 ms', 'WAL bytes'], rows);
    await pool.destroy();
    const wrong = (
      await checkData(data.dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined })
    ).filter(({ count }) => count > 0);
    console.log(`\nAfterwards \`check data\` finds ${wrong.length === 0 ? 'nothing' : JSON.stringify(wrong)}.`);
    return rates['reactions on one post, combined 128'] / rates['reactions on one post, each 128'];
  } finally {
    await data.close();
  }
}

async function pick(dataSource) {
  const ids = async (sql) => (await dataSource.query(sql)).map(({ id }) => id);
  return {
    people: await ids(`SELECT id FROM users WHERE handle NOT LIKE 'bench%' ORDER BY id LIMIT 3000`),
    posts: await ids(`SELECT id FROM posts WHERE deleted_at IS NULL ORDER BY created_at DESC LIMIT 2000`),
  };
}

/** Two processes on one hot post: reactions a second together. */
async function twoProcesses(address, people, posts) {
  const children = [0, 1].map(() => fork(join(root, 'bench/write-process.mjs'), { stdio: 'inherit' }));
  const rates = await Promise.all(
    children.map(
      (child) =>
        new Promise((resolve) => {
          child.once('message', resolve);
          child.send({ address, people, posts, seconds: SECONDS });
        }),
    ),
  );
  for (const child of children) child.kill();
  return rates.reduce((sum, rate) => sum + rate, 0);
}

export { acts, drive, pick };
