// What telling people costs the acts that it tells of, as ratios: with it and without, in turn.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createDataSource } from '../packages/server/dist/index.js';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { median, percentiles } from './load.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';
import { acts, drive } from './write.mjs';

const ROUNDS = 7;
const WATCHERS = 1_000;
const FOLLOWERS = 50_000;
const MANY = 100_000;
const CALLS = 300;

/** Functions that tell, as they are; and in their place ones that do nothing. */
const TELLING = ['notifications/events/functions.sql', 'notifications/telling/functions.sql']
  .flatMap((file) =>
    readFileSync(join(root, 'packages/server/src', file), 'utf8').split(/(?=^CREATE OR REPLACE FUNCTION)/m),
  )
  .filter((text) => /^CREATE OR REPLACE FUNCTION (tell|end_acts|note_event)\(/.test(text))
  .map((text) => text.slice(0, text.indexOf('END $$;') + 7));
const nothing = (text) => {
  const [head, returns] = [text.slice(0, text.indexOf(' LANGUAGE')), / RETURNS (\w+)/.exec(text)[1]];
  return `${head} LANGUAGE plpgsql AS $$ BEGIN RETURN${returns === 'void' ? '' : ' 0'}; END $$`;
};

/** Does work with telling and without, in turn. @returns the medians of both */
async function inTurn(dataSource, work) {
  const found = { with: [], without: [] };
  for (let round = 0; round < ROUNDS; round++)
    for (const way of round % 2 ? ['with', 'without'] : ['without', 'with']) {
      for (const text of TELLING) await dataSource.query(way === 'with' ? text : nothing(text));
      found[way].push(await work());
    }
  for (const text of TELLING) await dataSource.query(text);
  return { with: median(found.with), without: median(found.without) };
}

export async function benchNotifications(size) {
  const data = await openData(size);
  const { dataSource } = data;
  const pool = createDataSource(data.address, { poolSize: 12 });
  await pool.initialize();
  try {
    const ids = async (sql, parameters) => (await dataSource.query(sql, parameters)).map(({ id }) => id);
    const people = await ids(`SELECT id FROM users WHERE handle NOT LIKE 'bench%' ORDER BY id LIMIT 3000`);
    const author = people[0];
    const followed = await besideFollowers(dataSource, pool);
    const crowd = await ids(`SELECT id FROM users WHERE handle LIKE 'bench\\_follower\\_%' ORDER BY id`);
    await addPosts(dataSource, author, 1_000);
    const own = await ids(
      `SELECT id FROM posts WHERE author_id = $1 AND deleted_at IS NULL ORDER BY created_at DESC LIMIT 1000`,
      [author],
    );
    /** Everybody reacts once: each act tells somebody. */
    const everybody = (posts, callers, count) => async () => {
      await dataSource.query(`DELETE FROM reactions WHERE post_id = ANY ($1)`, [own]);
      await dataSource.query(`TRUNCATE notifications, notification_acts, events`);
      const reactions = await reactionsOf(pool);
      let next = 0;
      const begun = performance.now();
      const times = [];
      const caller = async () => {
        for (let i = next++; i < count; i = next++) {
          const at = performance.now();
          await reactions.onPost(posts[(i * 17) % posts.length], crowd[i], 'like');
          times.push(performance.now() - at);
        }
      };
      await Promise.all(Array.from({ length: callers }, caller));
      return { perSecond: (count * 1000) / (performance.now() - begun), p50: percentiles(times).p50 };
    };
    const rate = (work) => async () => (await work()).perSecond;
    await everybody(own.slice(0, 1), 8, 500)();
    const one = await inTurn(dataSource, rate(everybody(own.slice(0, 1), 128, 12_000)));
    const many = await inTurn(dataSource, rate(everybody(own, 128, 6_000)));
    const statements = await inTurn(dataSource, async () => (await everybody(own, 1, 500)()).p50);
    const alone = await overHttp(data, crowd.slice(0, CALLS), own);
    const row = (name, figures, digits) => [
      name,
      figures.with.toFixed(digits),
      figures.without.toFixed(digits),
      (figures.with / figures.without).toFixed(2),
    ];
    const rows = [
      row('reactions on one post, 128 callers, a second', one, 0),
      row('reactions on one author’s posts, 128 callers, a second', many, 0),
      row('a reaction by one caller, p50 ms', alone, 2),
      row('its statements alone, p50 ms', statements, 2),
    ];
    const watched = await besideWatchers(dataSource, pool, people);
    rows.push(row(`a comment on a post with ${WATCHERS} watchers, and with none, p50 ms`, watched, 2));
    rows.push(row(`a post of an author with ${FOLLOWERS} followers, and with none, p50 ms`, followed, 2));
    printTable('Telling people of acts', ['act', 'with', 'without', 'ratio'], rows);
    const { heldUpMs, markedMs, countMs } = await markMany(dataSource, pool, people);
    console.log(
      `\nSomebody with ${MANY.toLocaleString('en-GB')} notifications: what is unseen is counted in ${countMs.toFixed(2)} ms; all are marked in ${(markedMs / 1000).toFixed(1)} s, while acts on them wait ${heldUpMs.toFixed(0)} ms at most.`,
    );
    return {
      onePost: one.with / one.without,
      oneAuthor: many.with / many.without,
      oneCaller: alone.with / alone.without,
      watched: watched.with / watched.without,
      followed: followed.with / followed.without,
      heldUpMs,
      countMs,
    };
  } finally {
    await pool.destroy();
    await data.close();
  }
}

/** Reactions as one caller meets them: over HTTP, one after the other, each the first of its person. */
async function overHttp(data, people, posts) {
  const service = await startService(data.address);
  try {
    const tokens = [];
    for (const id of people) tokens.push(await service.tokenOf(id));
    return await inTurn(data.dataSource, async () => {
      await data.dataSource.query(`DELETE FROM reactions WHERE post_id = ANY ($1)`, [posts]);
      await data.dataSource.query(`DELETE FROM notification_acts`);
      await data.dataSource.query(`DELETE FROM notifications`);
      const times = [];
      for (const [i, token] of tokens.entries()) {
        const begun = performance.now();
        await service.as(token)('PUT', `/v1/posts/${posts[(i * 17) % posts.length]}/reaction`, { kind: 'like' });
        times.push(performance.now() - begun);
      }
      return percentiles(times).p50;
    });
  } finally {
    await service.stop();
  }
}

async function reactionsOf(pool) {
  const dist = (path) => import(join(root, 'packages/server/dist', path));
  const { Reactions } = await dist('posts/reactions/service.js');
  return new Reactions(pool, null, null);
}

const addPosts = (dataSource, author, count) =>
  dataSource.query(
    `INSERT INTO posts (id, author_id, body, reading) SELECT new_uuid7(), $1, 'Written for the benchmark.', 2000000000 FROM generate_series(1, $2::integer)`,
    [author, count],
  );

/** Comments on a post that many watch, and on one that nobody does, in turn; those who watch are told beside. */
async function besideWatchers(dataSource, pool, people) {
  const found = { with: [], without: [] };
  for (let round = 0; round < ROUNDS; round++)
    for (const way of ['with', 'without']) {
      await addPosts(dataSource, people[0], 1);
      const [{ id }] = await dataSource.query(
        `SELECT id FROM posts WHERE author_id = $1 ORDER BY created_at DESC LIMIT 1`,
        [people[0]],
      );
      if (way === 'with')
        await dataSource.query(
          `INSERT INTO post_watches (post_id, user_id) SELECT $1, id FROM unnest($2::uuid[]) AS p (id)`,
          [id, people.slice(1_500, 1_500 + WATCHERS)],
        );
      const { comments } = await acts(pool, people.slice(1, 2), [id]);
      const times = [];
      for (let i = 0; i < 40; i++) {
        const begun = performance.now();
        await comments(i);
        times.push(performance.now() - begun);
      }
      found[way].push(percentiles(times).p50);
    }
  return { with: median(found.with), without: median(found.without) };
}

/** Posts of somebody whom many follow, and of somebody whom nobody does, in turn. */
async function besideFollowers(dataSource, pool) {
  const make = async (handle) => {
    await dataSource.query(
      `INSERT INTO users (id, handle, name) VALUES (new_uuid7(), $1, 'Benchmark') ON CONFLICT DO NOTHING`,
      [handle],
    );
    return (await dataSource.query(`SELECT id FROM users WHERE handle = $1`, [handle]))[0].id;
  };
  const [followed, alone] = [await make('bench_followed'), await make('bench_alone')];
  await dataSource.query(
    `INSERT INTO users (id, handle, name) SELECT new_uuid7(), 'bench_follower_' || i, 'Benchmark' FROM generate_series(1, ${FOLLOWERS}) i ON CONFLICT DO NOTHING`,
  );
  await dataSource.query(
    `INSERT INTO follows (follower_id, followee_id) SELECT id, $1 FROM users WHERE handle LIKE 'bench\\_follower\\_%' ON CONFLICT DO NOTHING`,
    [followed],
  );
  await dataSource.query(`VACUUM (ANALYZE) users, follows, user_tallies`);
  await dataSource.query(`CHECKPOINT`);
  const found = { with: [], without: [] };
  const ways = [
    ['with', followed],
    ['without', alone],
  ];
  for (let round = 0; round < 2 * ROUNDS; round++)
    for (const [way, author] of round % 2 ? ways : [...ways].reverse())
      found[way].push((await drive((await acts(pool, [author], [followed])).posts, 1, 1)).p50);
  return { with: median(found.with), without: median(found.without) };
}

/** Counts and marks what somebody with very many was told, while others act on what it is about. */
async function markMany(dataSource, pool, people) {
  // Those who watch are still being told of the comments of before.
  while ((await dataSource.query(`SELECT FROM comment_announcements LIMIT 1`)).length > 0);
  const [reader, actor] = people;
  await dataSource.query(`DELETE FROM notification_acts`);
  await dataSource.query(`DELETE FROM notifications`);
  await addPosts(dataSource, reader, 50);
  const posts = (
    await dataSource.query(`SELECT id FROM posts WHERE author_id = $1 ORDER BY created_at DESC LIMIT 50`, [reader])
  ).map(({ id }) => id);
  await dataSource.query(
    `WITH made AS (
       INSERT INTO notifications (id, user_id, kind, target_id, post_id)
       SELECT new_uuid7(), $1, 'reacted', CASE WHEN i <= 50 THEN ($2::uuid[])[i] ELSE gen_random_uuid() END, ($2::uuid[])[1 + i % 50] FROM generate_series(1, ${MANY}) i
       RETURNING id, target_id)
     INSERT INTO notification_acts (thing_id, actor_id, user_id, notification_id) SELECT target_id, $3, $1, id FROM made`,
    [reader, posts, actor],
  );
  await dataSource.query(`VACUUM (ANALYZE) notifications, notification_acts`);
  const kinds = ['mentioned', 'replied', 'commented', 'watched', 'reacted', 'followed'];
  const counting = [];
  for (let i = 0; i < 50; i++) {
    const begun = performance.now();
    await pool.query(`SELECT count_unseen($1::uuid, $2::text[], 100)`, [reader, kinds]);
    counting.push(performance.now() - begun);
  }
  const [{ s: snapshot }] = await dataSource.query(`SELECT pg_current_snapshot()::text AS s`);
  const waits = [];
  let [marking, i] = [true, 0];
  const acting = (async () => {
    const react = (await acts(pool, people.slice(10, 200), posts))['reactions on random posts, combined'];
    while (marking) {
      const begun = performance.now();
      await react(i++);
      waits.push(performance.now() - begun);
    }
  })();
  const begun = performance.now();
  for (let n = 500; n === 500;)
    [{ n }] = await dataSource.query(`SELECT mark_seen($1, $2, $3::text::pg_snapshot, 500) AS n`, [
      reader,
      kinds,
      snapshot,
    ]);
  const markedMs = performance.now() - begun;
  marking = false;
  await acting;
  return { heldUpMs: Math.max(...waits), markedMs, countMs: percentiles(counting).p50 };
}
