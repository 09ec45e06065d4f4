import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { isDoorwayRule } from '@gather-lane/core';
import { request as rawRequest } from 'node:http';
import { Validator } from '@seriousme/openapi-schema-validator';
import pg from 'pg';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { PROBLEMS } from '../../ground/http/problem-catalogue.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

interface Operation {
  'operationId': string;
  'x-doorway': string;
  'summary': string;
  'tags': string[];
  'security': object[];
  'responses': Record<string, { content?: Record<string, unknown>; description: string }>;
  'parameters'?: { name: string; in: string; required?: boolean }[];
}
interface Document {
  openapi: string;
  paths: Record<string, Record<string, Operation>>;
  components: { schemas: Record<string, object> };
}
const document = async () => (await service.call<Document>('GET', '/v1/openapi.json')).json;
const operations = async () => Object.values((await document()).paths).flatMap((methods) => Object.values(methods));

/** A call with headers that fetch does not let one set. */
function raw(path: string, headers: Record<string, string>, method = 'GET', body = ''): Promise<number> {
  return new Promise((resolve, reject) => {
    const request = rawRequest(service.address + path, { method, headers }, (reply) => {
      reply.resume();
      resolve(reply.statusCode!);
    });
    request.on('error', reject);
    request.end(body);
  });
}

describe('the API document', () => {
  test('is valid OpenAPI 3.1', async () => {
    const found = await document();
    const result = await new Validator().validate(found as never);
    expect(result).toMatchObject({ valid: true });
    expect(found.openapi).toMatch(/^3\.1\./);
    expect(Object.keys(found.components.schemas)).toEqual(
      expect.arrayContaining(['Post', 'User', 'Comment', 'FeedPage', 'Problem']),
    );
  });

  test('says of every operation who may call it, what it is called, and every reply that it can give', async () => {
    const all = await operations();
    expect(all.length).toBeGreaterThan(25);
    expect(new Set(all.map((operation) => operation.operationId)).size).toBe(all.length);
    for (const operation of all) {
      expect(isDoorwayRule(operation['x-doorway'])).toBe(true);
      expect(operation.summary).toBeTruthy();
      expect(operation.tags).toHaveLength(1);
      const statuses = Object.keys(operation.responses);
      expect(statuses.some((status) => status.startsWith('2'))).toBe(true);
      expect(statuses).toEqual(expect.arrayContaining(['400', '401', '500', '503']));
      if (operation['x-doorway'].startsWith('owner'))
        expect(statuses).toEqual(expect.arrayContaining(['403', '404', '412']));
      for (const [status, reply] of Object.entries(operation.responses))
        if (Number(status) >= 400) expect(Object.keys(reply.content ?? {})).toEqual(['application/problem+json']);
    }
  });

  test('says the limits in characters, and which parameters may be left out', async () => {
    const text = JSON.stringify(await document());
    expect(text).toContain('1 to 600 characters as people count them');
    expect(text).not.toContain('"x-characters":"');
    const feed = (await document()).paths['/v1/feeds/following']!.get!;
    expect(feed.parameters!.filter((parameter) => parameter.required)).toEqual([]);
  });

  test('no state is changed by GET: every GET is free of a body, and every change has a rule beyond `anyone` but for signing up and in', async () => {
    const { paths } = await document();
    const open = Object.entries(paths).flatMap(([path, methods]) =>
      Object.entries(methods)
        .filter(([method, operation]) => method !== 'get' && operation['x-doorway'] === 'anyone')
        .map(() => path),
    );
    expect(open.sort()).toEqual([
      '/v1/operator/browser-sessions',
      '/v1/password-resets',
      '/v1/password-resets/redeem',
      '/v1/provider-sign-ins',
      '/v1/provider-sign-ins/finish',
      '/v1/sessions',
      '/v1/sessions/refresh',
      '/v1/users',
    ]);
  });
});

describe('doorways', () => {
  test('a route without a rule stops the start, and is named', async () => {
    const start = startTestService({ before: (app) => app.get('/v1/secret', () => 'open to whom?') });
    await expect(start).rejects.toThrow(/no doorway rule: GET(\/HEAD)? \/v1\/secret/);
  });

  test('so does one with a rule that nobody can decide', async () => {
    const start = startTestService({
      before: (app) => app.get('/v1/secret', { config: { doorway: 'owner of moon' as 'anyone' } }, () => ''),
    });
    await expect(start).rejects.toThrow(/\/v1\/secret/);
  });

  test('two credentials at once are refused', async () => {
    const cookie = 'gather_lane_operator=x';
    const { status, json } = await service.call('GET', '/v1/operator/stats', {
      as: service.operatorKey,
      headers: { cookie },
    });
    expect([status, json.title]).toEqual([400, 'The request carries two credentials']);
  });

  test('the operator is nobody’s user, and no user is the operator', async () => {
    const user = await service.user();
    expect((await service.call('GET', '/v1/operator/stats', { as: user })).status).toBe(403);
    expect((await service.call('GET', '/v1/operator/stats')).status).toBe(401);
    for (const path of ['/v1/me', '/v1/posts', '/v1/feeds/following'])
      expect((await service.call('GET', path, { as: service.operatorKey })).status).toBe(403);
    expect((await service.call('GET', '/v1/operator/stats', { as: 'gl-operator-guessed' })).status).toBe(401);
  });
});

describe('problems', () => {
  test('are problem+json with a type that is a readable page saying what to do', async () => {
    const { headers, json } = await service.call<{ type: string; title: string; status: number; instance: string }>(
      'GET',
      '/v1/posts/0190a000-0000-7000-8000-00000000abcd',
    );
    expect(headers.get('content-type')).toMatch(/^application\/problem\+json/);
    expect(json).toMatchObject({
      status: 404,
      type: `${service.address}/docs/problems/not-found`,
      instance: '/v1/posts/0190a000-0000-7000-8000-00000000abcd',
    });
    const page = await service.call<{ text: string }>('GET', new URL(json.type).pathname);
    expect(page.json.text).toContain(json.title);
    expect(page.json.text).toContain('What to do');
  });

  test('every kind has its page, and the index lists them all', async () => {
    const index = (await service.call<{ text: string }>('GET', '/docs/problems')).json.text;
    for (const code of Object.keys(PROBLEMS)) {
      expect(index).toContain(`/docs/problems/${code}"`);
      expect((await service.call('GET', `/docs/problems/${code}`)).status).toBe(200);
    }
    expect((await service.call('GET', '/docs/problems/toString')).status).toBe(404);
    expect((await service.call('GET', '/docs')).status).toBe(200);
    expect((await service.call('GET', '/docs/api')).status).toBe(200);
  });

  test('beside them the schema of the configuration is published', async () => {
    const { status, json } = await service.call<{ properties: object }>('GET', '/docs/config.schema.json');
    expect([status, Object.keys(json.properties)]).toEqual([200, expect.arrayContaining(['server', 'limits'])]);
  });

  test('an unforeseen error shows a request id and nothing of the inside', async () => {
    const broken = await startTestService({
      before: (app) =>
        app.get('/v1/broken', { config: { doorway: 'anyone' } }, () => {
          throw new Error('password of the database is hunter2');
        }),
    });
    const { status, json } = await broken.call<{ instance: string }>('GET', '/v1/broken');
    expect(status).toBe(500);
    expect(json.instance).toMatch(/^urn:uuid:[0-9a-f-]{36}$/);
    expect(JSON.stringify(json)).not.toContain('hunter2');
    await broken.stop();
  });

  test('an unknown route is a problem too', async () => {
    expect(await service.call('DELETE', '/v1/everything')).toMatchObject({ status: 404, json: { status: 404 } });
  });
});

describe('who may reach it', () => {
  test('a Host that is not a configured name is refused, with any port', async () => {
    expect(await raw('/v1/posts', { host: 'attacker.example' })).toBe(400);
    expect(await raw('/v1/posts', { host: 'localhost:9' })).toBe(200);
    expect(await raw('/ready', { host: 'attacker.example:7461' })).toBe(400);
  });

  test('a service that is not ready answers 503 and says what to run', async () => {
    const waiting = await startTestService({ app: { notReady: () => 'start once with --migrate' } });
    for (const path of ['/ready', '/v1/posts', '/v1/me'])
      expect(await waiting.call('GET', path)).toMatchObject({
        status: 503,
        json: { detail: 'start once with --migrate' },
      });
    expect((await waiting.call('GET', '/v1/openapi.json')).status).toBe(200);
    expect((await service.call('GET', '/ready')).json).toEqual({ ready: true });
    await waiting.stop();
  });

  test('the usual headers are set, and no other origin is let in', async () => {
    const { headers } = await service.call('GET', '/v1/posts', { headers: { origin: 'http://elsewhere.example' } });
    expect(headers.get('content-security-policy')).toContain("default-src 'self'");
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('access-control-allow-origin')).toBeNull();
  });
});

describe('absolute addresses', () => {
  test('come from the configured public address and base path, not from the request', async () => {
    const behind = await startTestService({
      environment: { GATHER_LANE_SERVER_PUBLIC_ADDRESS: 'https://cut.example/lane/' },
    });
    const user = await behind.user();
    const { json, headers } = await behind.call<{ url: string; id: string }>('POST', '/v1/posts', {
      as: user,
      body: { body: 'x' },
    });
    expect(headers.get('location')).toBe(`https://cut.example/lane/v1/posts/${json.id}`);
    await behind.call('POST', '/v1/posts', { as: user, body: { body: 'y' } });
    expect((await behind.call('GET', '/v1/posts?limit=1')).headers.get('link')).toMatch(
      /^<https:\/\/cut\.example\/lane\/v1\/posts\?limit=1&after=/,
    );
    expect((await behind.call('GET', '/v1/nothing')).json).toMatchObject({
      type: 'https://cut.example/lane/docs/problems/not-found',
    });
    expect(headers.get('strict-transport-security')).toContain('max-age');
    await behind.stop();
  });
});

describe('without its database', () => {
  test('a service says so with 503, on /ready too, and works again once the database is back', async () => {
    const cut = await startTestService();
    const user = await cut.user();
    const admin = new pg.Client({ ...cut.database, database: 'postgres' });
    await admin.connect();
    const allow = (yes: boolean) => admin.query(`ALTER DATABASE ${cut.database.database} ALLOW_CONNECTIONS ${yes}`);
    await allow(false);
    // Waits until they are gone: one that ends later would fail a call after the database is back.
    await admin.query(`SELECT pg_terminate_backend(pid, 60000) FROM pg_stat_activity WHERE datname = $1`, [
      cut.database.database,
    ]);
    const statuses = async () =>
      Promise.all(
        ['/ready', '/v1/posts', '/v1/feeds/following'].map(
          async (path) => (await cut.call('GET', path, { as: user })).status,
        ),
      );
    expect(await statuses()).toEqual([503, 503, 503]);
    const { json, headers } = await cut.call('GET', '/v1/posts');
    expect([json.status, headers.get('retry-after'), json.detail]).toEqual([
      503,
      '2',
      'The database does not answer: try again in a moment.',
    ]);
    await allow(true);
    // It answers within two seconds, a new connection on a busy machine may take longer: asked until it is ready.
    while ((await cut.call('GET', '/ready')).status !== 200);
    expect(await statuses()).toEqual([200, 200, 200]);
    await admin.end();
    await cut.stop();
  });
});
