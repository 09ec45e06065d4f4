import { describe, expect, test } from '@jest/globals';
import { isDoorwayRule } from '@gather-lane/core';
import type { FastifyRequest, RouteOptions } from 'fastify';
import { readUnread } from '../../posts/reading/back-fill.js';
import { startTestService, type TestService } from '../../tests/test-service.js';
import { Posts } from '../../posts/posts/service.js';
import { OwnershipCheck } from './service.js';
import { PLAN } from '../../service/capabilities.js';

interface Result {
  calls: number;
  faults: number;
  routes: {
    operationId: string;
    rule: string;
    faults: string[];
    cells: {
      role: string;
      expected: string;
      status: number | null;
      problem: string | null;
      kept: boolean;
      says: string | null;
      fault: boolean;
    }[];
  }[];
}

const check = async (service: TestService, only?: string[]) =>
  service.call<Result>('POST', '/v1/operator/ownership-checks', {
    as: service.operatorKey,
    body: only ? { only } : {},
  });
/** Routes beside the one with the fault, so that it is seen which one is named. */
const SOME = ['getPost', 'editPost', 'listPostVersions', 'deleteComment'];
/** What the check says of each route that it finds fault with. */
const faultsOf = ({ routes }: Result) =>
  Object.fromEntries(
    routes
      .map(({ operationId, faults, cells }) => {
        const said = cells.filter(({ fault }) => fault).map(({ role, says }) => `${role}: ${says}`);
        return [operationId, [...faults, ...said]] as const;
      })
      .filter(([, faults]) => faults.length > 0),
  );
const isRoute = (route: RouteOptions, method: string, url: string) =>
  [route.method].flat().includes(method as 'GET') && route.url === url;
/** Checks a service with a fault planted in one of its routes. */
async function planted(onRoute: (route: RouteOptions) => void, spoil?: (service: TestService) => void) {
  const service = await startTestService({ app: { onRoute } });
  spoil?.(service);
  const { json } = await check(service, SOME);
  await service.stop();
  return faultsOf(json);
}

describe('the ownership check', () => {
  test('finds nothing wrong with the service, and leaves nothing behind', async () => {
    const service = await startTestService();
    const somebody = await service.user('somebody');
    await service.call('POST', '/v1/posts', { as: somebody, body: { body: 'Here before' } });
    const count = async () =>
      (
        await service.dataSource.query<[object]>(`SELECT
          (SELECT count(*) FROM users) AS users, (SELECT count(*) FROM posts) AS posts, (SELECT count(*) FROM comments) AS comments,
          (SELECT count(*) FROM sessions) AS sessions, (SELECT count(*) FROM identities) AS identities, (SELECT count(*) FROM blobs) AS blobs,
          (SELECT count(*) FROM uploads) AS uploads, (SELECT count(*) FROM reserved_handles) AS handles, (SELECT count(*) FROM blocks) AS blocks,
          (SELECT count(*) FROM refused_attempts) AS refused, (SELECT count(*) FROM standings_1) AS standings,
          (SELECT count(*) FROM throw_away_users) AS throw_away`)
      )[0];
    expect(
      (await service.call('GET', '/v1/operator/ownership-checks/latest', { as: service.operatorKey })).status,
    ).toBe(404);
    const before = await count();
    // Beside the job that reads what hand-written SQL made, as the check's own things are.
    let ended = false;
    const reading = (async () => {
      while (!ended) {
        await readUnread(service.dataSource);
        // A breath: the check shall have it beside it, not have to fight it for the processor.
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
    })();
    const { status, json } = await check(service);
    ended = true;
    await reading;
    expect([status, json]).toEqual([200, expect.objectContaining({ faults: 0 })]);
    expect(faultsOf(json)).toEqual({});
    expect(await count()).toEqual(before);
    expect(json.calls).toBeGreaterThan(500);
    const [edit] = json.routes.filter(({ operationId }) => operationId === 'editPost');
    expect(edit!.cells.map(({ role, status: met, problem, kept }) => [role, met, problem, kept])).toEqual([
      ['nobody', 401, 'not-signed-in', true],
      ['another', 403, 'not-yours', true],
      ['blocked', 404, 'not-found', true],
      ['owner', 200, null, false],
      ['moderator', 403, 'not-yours', true],
      ['operator', 403, 'wrong-principal', true],
    ]);
    const latest = await service.call<Result>('GET', '/v1/operator/ownership-checks/latest', {
      as: service.operatorKey,
    });
    expect(latest.json.calls).toBe(json.calls);
    await service.stop();
  });

  test('has a place for every route of the API document, each with a rule and a schema for its replies', async () => {
    const service = await startTestService();
    const { paths } = (
      await service.call<{
        paths: Record<
          string,
          Record<
            string,
            {
              'operationId': string;
              'x-doorway': string;
              'responses': Record<string, { content?: Record<string, { schema?: object }> }>;
            }
          >
        >;
      }>('GET', '/v1/openapi.json')
    ).json;
    const operations = Object.values(paths).flatMap((methods) => Object.values(methods));
    for (const { operationId, responses, 'x-doorway': rule } of operations) {
      expect([operationId, isDoorwayRule(rule), PLAN.trials[operationId]?.rule]).toEqual([operationId, true, rule]);
      for (const [code, { content }] of Object.entries(responses))
        if (!['202', '204'].includes(code))
          expect([
            operationId,
            code,
            Object.values(content ?? {}).every(({ schema }) => schema !== undefined),
            Object.keys(content ?? {}).length,
          ]).toEqual([operationId, code, true, 1]);
    }
    expect(Object.keys(PLAN.trials).sort()).toEqual(operations.map(({ operationId }) => operationId).sort());
    await service.stop();
  });

  test('names a route whose rule was weakened', async () => {
    const faults = await planted((route) => {
      if (isRoute(route, 'GET', '/v1/posts/:post/versions')) route.config = { ...route.config, doorway: 'anyone' };
    });
    expect(Object.keys(faults)).toEqual(['listPostVersions']);
    expect(faults.listPostVersions).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/declares "anyone", and the matrix has "owner or moderator of post"/),
        expect.stringMatching(/^another: let them in with 200/),
      ]),
    );
  });

  test('names a guard that believes an id from the body', async () => {
    const faults = await planted((route) => {
      if (!isRoute(route, 'PATCH', '/v1/posts/:post')) return;
      const handler = route.handler as (...parts: unknown[]) => unknown;
      const { body } = route.schema as { body: { additionalProperties: boolean } };
      route.schema = { ...route.schema, body: { ...body, additionalProperties: true } };
      route.config = { ...route.config, doorway: 'signed-in' };
      route.handler = function (request, reply) {
        const claimed = (request.body as { userId?: string }).userId;
        const session = { ...request.principal.session!, ...(claimed && { userId: claimed }) };
        (request as { principal: FastifyRequest['principal'] }).principal = {
          caller: { kind: 'user', id: session.userId },
          session,
        };
        return handler.call(this, request, reply);
      };
    });
    expect(Object.keys(faults)).toEqual(['editPost']);
    expect(faults.editPost!.join('\n')).toMatch(
      /another: changed what is the owner’s, as another \(it believes an id that the caller sends\)/,
    );
  });

  test('names a route that only the page guards', async () => {
    let service: TestService;
    const faults = await planted(
      (route) => {
        if (!isRoute(route, 'DELETE', '/v1/comments/:comment')) return;
        route.config = { ...route.config, doorway: 'signed-in' };
        route.handler = async (request, reply) => {
          await service.dataSource.query(`UPDATE comments SET deleted_at = clock_timestamp() WHERE id = $1`, [
            (request.params as { comment: string }).comment,
          ]);
          return reply.code(204).send(null);
        };
      },
      (started) => (service = started),
    );
    expect(Object.keys(faults)).toEqual(['deleteComment']);
    expect(faults.deleteComment!.join('\n')).toMatch(/another: changed what is the owner’s/);
    expect(faults.deleteComment!.join('\n')).toMatch(/blocked: changed what is the owner’s/);
  });

  test('names a route that checks, but writes without the condition', async () => {
    const faults = await planted(
      () => undefined,
      ({ house, dataSource }) => {
        house.get(Posts).edit = async (id, _caller, { body }) => {
          await dataSource.query(
            `UPDATE posts SET body = $2, version = version + 1, edited_at = clock_timestamp() WHERE id = $1`,
            [id, body],
          );
        };
      },
    );
    expect(Object.keys(faults)).toEqual(['editPost']);
    expect(faults.editPost![0]).toMatch(
      /at once with the same If-Match, instead of one: the write does not repeat the condition/,
    );
  });

  test('says so of a route without a place in the matrix', async () => {
    const service = await startTestService({
      before: (app) =>
        app.get(
          '/v1/unheard-of',
          { config: { doorway: 'anyone' }, schema: { operationId: 'unheardOf', summary: 'x', tags: ['x'] } },
          () => '',
        ),
    });
    expect(faultsOf((await check(service, ['unheardOf', 'getPost'])).json)).toEqual({
      unheardOf: [expect.stringMatching(/no place in the ownership matrix/)],
    });
    await service.stop();
  });

  test('meets the same each time it is run, slowed by nothing that it did before', async () => {
    const service = await startTestService();
    for (let time = 0; time < 3; time++) {
      const [signIn] = (await check(service, ['signIn'])).json.routes;
      expect(signIn!.cells.map(({ status }) => status)).toEqual([401, 401, 401, 401, 401, 403]);
    }
    await service.stop();
  });

  test('runs once at a time, for the operator alone; what a killed one left behind is removed', async () => {
    const service = await startTestService();
    const user = await service.user();
    expect((await service.call('POST', '/v1/operator/ownership-checks', { as: user })).status).toBe(403);
    const [first, second] = await Promise.all([check(service, SOME), check(service, SOME)]);
    expect([first.status, second.status].sort()).toEqual([200, 409]);
    expect((await check(service, ['nothing'])).status).toBe(422);
    await service.dataSource.query(
      `INSERT INTO throw_away_users (user_id, made_at) VALUES ($1, clock_timestamp() - interval '1 hour')`,
      [user.id],
    );
    await service.house.get(OwnershipCheck).removeLeftOver();
    expect(await service.dataSource.query(`SELECT FROM users WHERE id = $1`, [user.id])).toEqual([]);
    await service.stop();
  });
});
