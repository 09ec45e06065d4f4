import { expect, test } from '@jest/globals';
import pg from 'pg';
import { readFileSync } from 'node:fs';
import { checkData } from '../packages/server/src/workbench/check/service.js';
import { createDataSource } from '../packages/server/src/service/data-source.js';
import { startDemo } from './demo-service.js';
import { PLAN } from '../packages/server/src/service/capabilities.js';

test('a service that is killed in the middle of a rush loses no reaction, comment or post that it acknowledged, and counts none twice', async () => {
  const service = await startDemo();
  const key = readFileSync(service.operatorKey, 'utf8').trim();
  const call = async (method: string, path: string, token: string, body?: object) =>
    fetch(service.address + path, {
      method,
      headers: { authorization: `Bearer ${token}`, ...(body && { 'content-type': 'application/json' }) },
      ...(body && { body: JSON.stringify(body) }),
    });
  const client = new pg.Client(service.database);
  await client.connect();
  try {
    const { rows: people } = await client.query<{ id: string }>(`SELECT id FROM users ORDER BY handle LIMIT 40`);
    const { rows: posts } = await client.query<{ id: string }>(`SELECT id FROM posts ORDER BY created_at DESC LIMIT 4`);
    const tokens = await Promise.all(
      people.map(async ({ id }) => ({
        id,
        token: (
          (await (await call('POST', '/v1/operator/sessions', key, { user: id })).json()) as { accessToken: string }
        ).accessToken,
      })),
    );
    // What each person was last told, and what they had asked for without hearing of it yet.
    const told = new Map<string, string | null>();
    const asked = new Map<string, string | null>();
    const made: Record<'comments' | 'posts', string[]> = { comments: [], posts: [] };
    let acknowledged = 0;
    const rush = tokens.map(async ({ id, token }, n) => {
      for (let i = 0; ; i++) {
        if ((i + n) % 4 === 0) {
          const table = i % 8 < 4 ? 'comments' : 'posts';
          const path = table === 'posts' ? '/v1/posts' : `/v1/posts/${posts[0]!.id}/comments`;
          const reply = await call('POST', path, token, { body: `Said in a rush, ${n} ${i}.` });
          expect(reply.status).toBe(201);
          made[table].push(((await reply.json()) as { id: string }).id);
        }
        const post = posts[i % 3 === 0 ? 1 + (n % 3) : 0]!.id;
        const kind = i % 4 === 3 ? null : (i + n) % 5 === 0 ? 'dislike' : 'like';
        asked.set(`${post} ${id}`, kind);
        const path = `/v1/posts/${post}/reaction`;
        const reply = await (kind === null ? call('DELETE', path, token) : call('PUT', path, token, { kind }));
        expect(reply.status).toBe(200);
        await reply.json();
        told.set(`${post} ${id}`, kind);
        if (++acknowledged === 900) service.child.kill('SIGKILL');
      }
    });
    const ends = await Promise.allSettled(rush);
    // Every caller ends by the service being gone, none by a refusal.
    for (const end of ends) expect(String((end as PromiseRejectedResult).reason)).toMatch(/fetch failed|terminated/);
    expect(acknowledged).toBeGreaterThanOrEqual(900);
    const { rows } = await client.query<{ key: string; kind: string }>(
      `SELECT post_id || ' ' || user_id AS key, kind FROM reactions WHERE post_id = ANY ($1) AND user_id = ANY ($2)`,
      [posts.map(({ id }) => id), people.map(({ id }) => id)],
    );
    const kept = new Map(rows.map(({ key: each, kind }) => [each, kind]));
    const lost = [...told].filter(([each, kind]) => {
      const now = kept.get(each) ?? null;
      // The act that was under way may have been done or not.
      return now !== kind && now !== asked.get(each);
    });
    expect(lost).toEqual([]);
    for (const [table, ids] of Object.entries(made)) {
      const found = await client.query(`SELECT FROM ${table} WHERE id = ANY ($1)`, [ids]);
      expect([table, ids.length > 0, found.rowCount]).toEqual([table, true, ids.length]);
      // None twice: what one person said once stands there once.
      const twice = await client.query(
        `SELECT body FROM ${table} WHERE body LIKE 'Said in a rush%' GROUP BY body HAVING count(*) > 1`,
      );
      expect(twice.rows).toEqual([]);
    }
    const dataSource = createDataSource(service.database, { poolSize: 2 });
    await dataSource.initialize();
    const findings = await checkData(dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined });
    expect(findings.filter(({ count }) => count > 0)).toEqual([]);
    await dataSource.destroy();
  } finally {
    await client.end();
    await service.end();
  }
});
