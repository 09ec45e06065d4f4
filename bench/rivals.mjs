// The other ways to read a following feed, in a process of their own: two of them on our HTTP stack with our session check,
// through our ORM's entities; one on a bare Fastify with the same SQL and the same check.
import { readSpans } from '@gather-lane/core';
import { join } from 'node:path';
import fastify from 'fastify';
import { createRequire } from 'node:module';
import { root } from '../scripts/steps.mjs';

const dist = (path) => import(join(root, 'packages/server/dist', path));
const require = createRequire(join(root, 'packages/server/package.json'));
const PAGE = 20;
const LAST = { at: 'infinity', id: 'ffffffff-ffff-ffff-ffff-ffffffffffff' };

const [
  { createDataSource },
  { CAPABILITIES, PLAN },
  { assemble },
  { buildApp },
  { loadConfig },
  { OperatorKey },
  { FolderStore },
] = await Promise.all(
  [
    'service/data-source.js',
    'service/capabilities.js',
    'service/assemble.js',
    'service/http/app.js',
    'ground/config/load.js',
    'accounts/operator/key.js',
    'accounts/media/store.js',
  ].map(dist),
);
const { In, IsNull } = await import('typeorm');
const { signedIn } = await dist('ground/http/doorway.js');
const { parametersOf } = await dist('feed/finding.js');
const { feedPage } = await dist('feed/page-queries.js');
const { Ways } = await dist('feed/ways.js');
const { readSieve, Sieves } = await dist('feed/sieves.js');
const entities = {
  ...(await dist('accounts/users/user.entity.js')),
  ...(await dist('posts/posts/post.entity.js')),
  ...(await dist('graph/follows/follow.entity.js')),
  ...(await dist('posts/comments/comment.entity.js')),
  ...(await dist('posts/reactions/reaction.entity.js')),
};

/**
 * The naive way, as first written: whom one follows, then `In` with `skip` and `take`, then what belongs to each post, one
 * by one as a template touches it.
 */
async function naive({ manager }, userId, order, page) {
  const { Follow, Post, User, Comment, Reaction } = entities;
  const follows = await manager.find(Follow, { where: { followerId: userId } });
  const authors = [userId, ...follows.map(({ followeeId }) => followeeId)];
  const skip = (page - 1) * PAGE;
  const posts =
    order === 'recent'
      ? await manager.find(Post, {
          where: { authorId: In(authors), deletedAt: IsNull() },
          order: { createdAt: 'DESC', id: 'DESC' },
          skip,
          take: PAGE,
        })
      : await manager
          .createQueryBuilder(Post, 'p')
          .innerJoin('standings', 's', 's.post_id = p.id')
          .where('p.authorId IN (:...authors) AND p.deletedAt IS NULL', { authors })
          .orderBy('s.lane_time', 'DESC')
          .addOrderBy('p.id', 'DESC')
          .offset(skip)
          .limit(PAGE)
          .getMany();
  const items = [];
  for (const post of posts) {
    const author = await manager.findOne(User, { where: { id: post.authorId } });
    const comments = await manager.count(Comment, { where: { postId: post.id, deletedAt: IsNull() } });
    const reactions = await manager.find(Reaction, { where: { postId: post.id } });
    const counts = {};
    for (const { kind } of reactions) counts[kind] = (counts[kind] ?? 0) + 1;
    items.push({
      id: post.id,
      body: post.body,
      spans: readSpans(post.spans),
      createdAt: post.createdAt,
      author: { id: author.id, handle: author.handle, name: author.name },
      tallies: { comments, reactions: counts },
      reaction: reactions.find((each) => each.userId === userId)?.kind ?? null,
    });
  }
  return { items };
}

const KEYS = { recent: ['p.created_at', 'p.id'], score: ['s.lane_time', 's.post_id'] };
const careful = (order) => `
  SELECT p.id, p.body, p.spans, p.version, p.created_at, p.edited_at, a.id AS author_id, a.handle, a.name, t.comments, t.reactions, s.lane_time, r.kind AS reaction
  FROM follows f
  JOIN ${order === 'recent' ? 'posts p ON p.author_id = f.followee_id JOIN standings s ON s.post_id = p.id' : 'standings s ON s.author_id = f.followee_id JOIN posts p ON p.id = s.post_id'}
  JOIN users a ON a.id = p.author_id
  JOIN post_tallies t ON t.post_id = p.id
  LEFT JOIN reactions r ON r.post_id = p.id AND r.user_id = f.follower_id
  WHERE f.follower_id = $1 AND p.deleted_at IS NULL AND (${KEYS[order].join(', ')}) < ($2::timestamptz, $3::uuid)
  ORDER BY ${KEYS[order].map((key) => `${key} DESC`).join(', ')} LIMIT ${PAGE + 1}`;

/** The careful way: joins, one statement, keyset pages, on the index that suits it best. */
async function oneStatement(dataSource, userId, order, { at, id }) {
  const rows = await dataSource.query(careful(order), [userId, at, id]);
  return {
    items: rows.slice(0, PAGE).map((row) => ({
      id: row.id,
      body: row.body,
      spans: readSpans(row.spans),
      createdAt: row.created_at.toISOString(),
      laneTime: row.lane_time.toISOString(),
      author: { id: row.author_id, handle: row.handle, name: row.name },
      tallies: { comments: row.comments, reactions: row.reactions },
      reaction: row.reaction,
    })),
  };
}

const folder = process.argv[2];
const url = process.argv[3];
const environment = {
  GATHER_LANE_DATABASE_URL: url,
  GATHER_LANE_RATES_CALLS_PER_MINUTE: process.env.GATHER_LANE_RATES_CALLS_PER_MINUTE,
};
const { config } = loadConfig({ folder, environment });
const at = new URL(url);
const address = {
  host: decodeURIComponent(at.hostname),
  port: Number(at.port),
  user: at.username,
  password: decodeURIComponent(at.password),
  database: at.pathname.slice(1),
  ssl: false,
};
const dataSource = createDataSource(address, { poolSize: config.database.poolSize });
await dataSource.initialize();
const key = new OperatorKey(join(folder, '.gather-lane'));
const foundation = { plan: PLAN, database: dataSource, background: dataSource, config, demo: false };
const assembled = assemble(CAPABILITIES, foundation, { key, store: new FolderStore(folder) });
const app = await buildApp(assembled, { consoleFolder: undefined, notReady: () => null });
const ways = {
  naive: (userId, { order, page }) => naive(dataSource, userId, order, Number(page)),
  careful: (userId, { order, at: from, id }) => oneStatement(dataSource, userId, order, from ? { at: from, id } : LAST),
};
const text = { type: 'string' };
const querystring = { type: 'object', properties: { order: text, page: { type: 'integer' }, at: text, id: text } };
for (const [name, way] of Object.entries(ways))
  app.get(`/v1/bench/${name}`, { config: { doorway: 'signed-in' }, schema: { hide: true, querystring } }, (request) =>
    way(signedIn(request).userId, request.query),
  );
const stack = await app.listen({ host: '127.0.0.1', port: 0 });
assembled.house.address.listensAt(stack);

// Bare: no schemas, no hooks, no rules; the token and the session are checked all the same.
const pg = require('pg');
const { jwtVerify } = await import('jose');
const pool = new pg.Pool({ ...address, max: config.database.poolSize });
let keys = [];
const bare = fastify();
bare.get('/feed', async (request, reply) => {
  const token = request.headers.authorization.slice(7);
  const { payload, protectedHeader } = await verify(token);
  const { order, at: from, id } = request.query;
  const userId = payload.sub;
  const start = from ? { at: from, id } : LAST;
  const parameters = [userId, true, start.at, start.id, PAGE + 1, null, payload.sid, protectedHeader.kid];
  const sought = { userId, order, from: from ? Date.parse(from) : null, entries: PAGE + 1 };
  const items = await hints.find(sought, async (step) => {
    const { way } = step;
    const text = page(way, order, order === 'score' ? weighting : 1, false);
    return (await pool.query({ name: `page ${order} ${way}`, text, values: [...parameters, ...parametersOf(step)] }))
      .rows;
  });
  return items[0].session ? { items } : reply.code(401).send();
});
const page = feedPage([]);
const [{ id: weighting }] = await dataSource.query(`SELECT id FROM weightings WHERE in_force`);
const rowsOf = async (text, values) => (await pool.query({ name: 'sieve', text, values })).rows;
const hints = new Ways(new Sieves(readSieve({ query: rowsOf })));
async function verify(token) {
  // The service makes its key when it signs the first token.
  if (keys.length === 0) keys = (await pool.query(`SELECT secret FROM signing_keys`)).rows;
  for (const { secret } of keys)
    try {
      return await jwtVerify(token, secret, { algorithms: ['HS256'] });
    } catch {
      // Signed by another of the keys.
    }
  throw new Error('no key of the service signed this token');
}
const plain = await bare.listen({ host: '127.0.0.1', port: 0 });
process.send({ stack, plain });
process.on('SIGTERM', () => process.exit(0));
