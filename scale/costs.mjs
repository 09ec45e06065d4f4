// What each act costs on this machine, measured: processor time of the service, of the primary and of a standby, log and disk.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { openData } from '../bench/data.mjs';
import { load, median, mixed } from '../bench/load.mjs';
import { postgresSeconds, processorSeconds, startService } from '../bench/service.mjs';
import { startStandby } from './standby.mjs';

const FILE = join(root, '.bench', 'costs.json');
const SECONDS = 2;
const ROUNDS = 5;
const WARMING = 3;
const CALLERS = 32;

/** The tables that hold what an act leaves. */
const TABLES = {
  posts: ['posts', 'post_tallies', 'standings_1', 'post_hashtags', 'post_mentions'],
  comments: ['comments', 'post_commenters', 'comment_mentions', 'watches'],
  reactions: ['reactions'],
  follows: ['follows'],
};

/** The costs that were measured here last; measured now where there are none. */
export async function knownCosts() {
  try {
    return JSON.parse(readFileSync(FILE, 'utf8'));
  } catch {
    return measureCosts();
  }
}

/** Measures and keeps them. */
export async function measureCosts() {
  const size = 'small';
  const data = await openData(size);
  const standby = await startStandby(data.address);
  const { host, user, password, database } = data.address;
  const url = `postgres://${user}:${encodeURIComponent(password)}@${host}:${standby.address.port}/${database}`;
  const service = await startService(data.address, [], { database: { standbys: [url] } });
  try {
    const tokens = await Promise.all(
      Object.values(data.viewers)
        .flat()
        .map(({ id }) => service.tokenOf(id)),
    );
    const posts = await data.dataSource.query(
      `SELECT id FROM posts WHERE deleted_at IS NULL ORDER BY created_at DESC LIMIT 2000`,
    );
    const people = await data.dataSource.query(`SELECT id FROM users ORDER BY hashtext(id::text) LIMIT 500`);
    const each = (make) =>
      mixed(tokens.flatMap((token, i) => Array.from({ length: 40 }, (_, n) => make(token, i * 40 + n))));
    // What is done again must be another act each time.
    const callsOf = (round) => ({
      pages: each((token, n) => ({
        path: `/v1/feeds/following?order=${n % 2 ? 'recent' : 'score'}`,
        token,
        headers: { 'gather-seen': '0/0' },
      })),
      posts: each((token, n) => ({
        method: 'POST',
        path: '/v1/posts',
        token,
        body: { body: `Measured ${n}. #moorings` },
      })),
      comments: each((token, n) => ({
        method: 'POST',
        path: `/v1/posts/${posts[(n * 17) % posts.length].id}/comments`,
        token,
        body: { body: 'And so said I.' },
      })),
      reactions: each((token, n) => ({
        method: 'PUT',
        path: `/v1/posts/${posts[(n * 17) % posts.length].id}/reaction`,
        token,
        body: { kind: (n + round) % 2 ? 'like' : 'dislike' },
      })),
      follows: each((token, n) => ({
        method: (n + round) % 2 ? 'PUT' : 'DELETE',
        path: `/v1/follows/${people[(n * 7) % people.length].id}`,
        token,
      })),
    });
    const place = async () => (await data.dataSource.query(`SELECT pg_current_wal_lsn() - '0/0'::pg_lsn AS at`))[0].at;
    const costs = {};
    for (const act of Object.keys(callsOf(0))) {
      const rounds = [];
      for (let round = 0; round < ROUNDS + WARMING; round++) {
        const spent = async () => [
          processorSeconds(service.pid),
          postgresSeconds(data.address),
          postgresSeconds(standby.address),
          Number(await place()),
        ];
        const before = await spent();
        const { perSecond } = await load(service.address, callsOf(round)[act], {
          connections: CALLERS,
          seconds: SECONDS,
        });
        const after = await spent();
        if (round >= WARMING) rounds.push(after.map((value, i) => (value - before[i]) / (perSecond * SECONDS)));
      }
      const [node, primary, replica, log] = [0, 1, 2, 3].map((i) => median(rounds.map((round) => round[i])));
      costs[act] = {
        service: node * 1000,
        primary: primary * 1000,
        // A standby replays what is written in any case.
        standby: act === 'pages' ? replica * 1000 : 0,
        log: act === 'pages' ? 0 : log,
        disk: await diskOf(data.dataSource, TABLES[act]),
      };
    }
    const measured = { at: new Date().toISOString(), cores: cpus().length, model: cpus()[0].model, data: size, costs };
    mkdirSync(join(root, '.bench'), { recursive: true });
    writeFileSync(FILE, JSON.stringify(measured, null, 2));
    return measured;
  } finally {
    await service.stop();
    await standby.stop();
    await data.close();
  }
}

/** Bytes of a row in the first of some tables, with what belongs to it in the others, indexes and all. */
async function diskOf(dataSource, tables) {
  if (!tables) return 0;
  const [{ bytes }] = await dataSource.query(
    `SELECT coalesce(sum(pg_total_relation_size(to_regclass(name))), 0)::bigint AS bytes FROM unnest($1::text[]) name`,
    [tables],
  );
  const [{ n }] = await dataSource.query(`SELECT count(*) AS n FROM ${tables[0]}`);
  return Number(bytes) / Number(n);
}
