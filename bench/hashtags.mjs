// Pages of a hashtag by lane time, for words that are rare, usual, on half of all posts, and on old posts alone: the statement in the
// database alone, against the join as one writes it first, in turn.
import { join } from 'node:path';
import { hashtagPlan } from '@gather-lane/core';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { percentiles } from './load.mjs';
import { printTable } from './table.mjs';

const ROUNDS = 15;
const LIMIT = 21;
/** The share of all posts that a word is on; the oldest are as many posts as the last says. */
const WORDS = { rarely: 0.00001, seldom: 0.001, often: 0.1, mostly: 0.5 };
const OLDEST = 5_000;
const PAGES = [1, 10];
/** What is quicker than this is compared as though it took so long. */
const LEAST_MS = 0.2;

/** The join of a hashtag's posts with their standings, sorted: as one writes it first. */
const joined = (weighting, seen) => `
  SELECT h.post_id AS id, s.lane_time AS key FROM post_hashtags h JOIN standings_${weighting} s ON s.post_id = h.post_id JOIN users a ON a.id = h.author_id
  WHERE h.hashtag_id = $1 AND (s.lane_time, s.post_id) < (coalesce($2::timestamptz, 'infinity'), coalesce($3::uuid, 'ffffffff-ffff-ffff-ffff-ffffffffffff')) AND ${seen}
  ORDER BY s.lane_time DESC, s.post_id DESC LIMIT $4`;

/** @returns the worst ratio against the join, and the most milliseconds of a word that is not on old posts alone */
export async function benchHashtags(size) {
  const [{ fewPosts, scoredPosts }, { notKeptAway, seenBy }] = await Promise.all(
    ['posts/hashtags/queries.js', 'accounts/users/visibility.js'].map(
      (file) => import(join(root, 'packages/server/dist', file)),
    ),
  );
  const data = await openData(size === 'small' ? 'small' : 'words');
  const { dataSource } = data;
  try {
    const [{ id: weighting }] = await dataSource.query(`SELECT id FROM weightings WHERE in_force`);
    const [{ n: all }] = await dataSource.query(`SELECT count(*)::integer AS n FROM standings`);
    const words = await plant(dataSource, all);
    const viewer = data.viewers.random[0].id;
    const naive = joined(weighting, `${seenBy('a', '$5')} AND ${notKeptAway('a', '$5')}`);
    const rows = [];
    let [worst, most] = [0, 0];
    for (const { word, tag, posts } of words)
      for (const page of PAGES) {
        const plan = hashtagPlan(posts, all, LIMIT);
        const from = await cursorAt(dataSource, naive, tag, viewer, page);
        if (from === undefined) continue;
        const parameters = [tag, from?.key ?? null, from?.id ?? null, LIMIT, viewer];
        const ours = plan.all ? fewPosts(weighting) : scoredPosts(weighting);
        const walk = plan.all ? [] : [plan.walk];
        const [mine, theirs] = [[], []];
        const ids = [];
        for (let round = 0; round < ROUNDS; round++) {
          ids[0] = await timed(dataSource, ours, [...parameters, ...walk], mine);
          ids[1] = await timed(dataSource, naive, parameters, theirs);
          if (ids[0].join() !== ids[1].join()) throw new Error(`#${word}, page ${page}: the two do not agree`);
        }
        const [a, b] = [percentiles(mine.slice(2)).p50, percentiles(theirs.slice(2)).p50];
        worst = Math.max(worst, Math.max(a, LEAST_MS) / Math.max(b, LEAST_MS));
        if (word !== 'oldest') most = Math.max(most, a);
        rows.push([
          `#${word}, page ${page}`,
          posts,
          plan.all ? 'all' : plan.walk,
          b.toFixed(2),
          a.toFixed(2),
          (a / b).toFixed(2),
        ]);
      }
    printTable(
      `Milliseconds for a page of a hashtag by lane time, ${all.toLocaleString('en-GB')} posts`,
      ['hashtag', 'posts', 'walk', 'the join', 'ours', 'ratio'],
      rows,
    );
    return { againstJoin: worst, milliseconds: most };
  } finally {
    await data.close();
  }
}

/** Runs a statement, and asks the database how long it ran: planning left out, since the service's is prepared. */
async function timed(dataSource, sql, parameters, into) {
  const [{ 'QUERY PLAN': plan }] = await dataSource.query(
    `EXPLAIN (ANALYZE, TIMING OFF, FORMAT JSON) ${sql}`,
    parameters,
  );
  into.push(plan[0]['Execution Time']);
  return (await dataSource.query(sql, parameters)).map(({ id }) => id);
}

/** Where a page begins: the last of the page before; undefined where there is none so far. */
async function cursorAt(dataSource, sql, tag, viewer, page) {
  if (page === 1) return null;
  const rows = await dataSource.query(sql, [tag, null, null, (page - 1) * (LIMIT - 1), viewer]);
  return rows.length < (page - 1) * (LIMIT - 1) ? undefined : rows.at(-1);
}

/** Puts the words on posts, once. Straight into the table that says so: its counts follow. */
async function plant(dataSource, all) {
  const wanted = [
    ...Object.entries(WORDS).map(([word, share]) => ({
      word,
      n: Math.max(4, Math.round(all * share)),
      order: `hashtext(id::text || '${word}')`,
    })),
    { word: 'oldest', n: Math.min(OLDEST, Math.round(all / 10)), order: 'created_at' },
  ];
  const words = [];
  for (const { word, n, order } of wanted) {
    const name = `bench${word}`;
    await dataSource.query(`INSERT INTO hashtags (name, shown) VALUES ($1, $1) ON CONFLICT DO NOTHING`, [name]);
    const [{ id: tag, posts }] = await dataSource.query(`SELECT id, posts FROM hashtags WHERE name = $1`, [name]);
    if (posts === 0)
      await dataSource.query(
        `INSERT INTO post_hashtags (post_id, hashtag_id, author_id, created_at)
         SELECT id, $1, author_id, created_at FROM posts WHERE deleted_at IS NULL ORDER BY ${order} LIMIT $2`,
        [tag, n],
      );
    words.push({ word, tag, posts: n });
  }
  await dataSource.query(`VACUUM (ANALYZE) post_hashtags, hashtags, posts`);
  return words;
}
