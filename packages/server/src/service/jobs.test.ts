import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { startTestService, type TestService } from '../tests/test-service.js';
import { runJobs } from './jobs.js';
import { Removals } from '../posts/moderation/service.js';
import { IdempotentCalls } from '../ground/idempotency/service.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
});
afterAll(() => service.stop());

describe('jobs', () => {
  test('every job runs on a service with people in it, and takes nothing that is still wanted', async () => {
    const user = await service.user('kept');
    const { json } = await service.call('POST', '/v1/posts', { as: user, body: { body: 'Kept' } });
    for (const job of service.jobs) await job.run(new AbortController().signal);
    expect((await service.call('GET', `/v1/posts/${json.id as string}`)).status).toBe(200);
    expect((await service.call('GET', '/v1/me', { as: user })).status).toBe(200);
  });

  test('forgets what is of no use any more: attempts, sessions, links, sign-ins and repeated calls of long ago', async () => {
    const user = await service.user('forgetful');
    const old = `clock_timestamp() - interval '100 days'`;
    const { id } = user;
    const made = [
      `INSERT INTO refused_attempts (user_id, route, thing_id, hour, kind) VALUES ('${id}', 'x', '${id}', ${old}, 'post')`,
      `INSERT INTO sessions (id, user_id, expires_at) VALUES (gen_random_uuid(), '${id}', ${old})`,
      `INSERT INTO password_resets (token_hash, user_id, expires_at) VALUES ('\\x01', '${id}', ${old})`,
      `INSERT INTO provider_sign_ins (ticket_hash, provider, state, nonce, verifier, created_at) VALUES ('\\x01', 'p', 's', 'n', 'v', ${old})`,
      `INSERT INTO repeatable_calls (user_id, route, key, content, made_id, created_at) VALUES ('${id}', 'x', 'k', '\\x01', '${id}', ${old})`,
      `INSERT INTO sign_in_attempts (key, n, last_at) VALUES ('\\x01', 9, ${old})`,
    ];
    for (const sql of made) await service.dataSource.query(sql);
    for (const job of service.jobs) await job.run(new AbortController().signal);
    const [left] = await service.dataSource.query<[object]>(`SELECT
      (SELECT count(*)::integer FROM refused_attempts) AS attempts, (SELECT count(*)::integer FROM sessions WHERE NOT acting) AS sessions,
      (SELECT count(*)::integer FROM password_resets) AS links, (SELECT count(*)::integer FROM provider_sign_ins) AS sign_ins,
      (SELECT count(*)::integer FROM repeatable_calls) AS calls, (SELECT count(*)::integer FROM sign_in_attempts) AS guesses`);
    expect(left).toEqual({ attempts: 0, sessions: 0, links: 0, sign_ins: 0, calls: 0, guesses: 0 });
  });

  test('a job that fails is told, holds no other up, and stopping waits for what is under way', async () => {
    jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate'] });
    const failed: unknown[] = [];
    const forgot = jest.spyOn(service.house.get(IdempotentCalls), 'forget');
    const broken = jest.spyOn(service.house.get(Removals), 'purge').mockRejectedValue(new Error('broken'));
    const stop = runJobs(service.jobs, (error) => failed.push(error));
    jest.advanceTimersByTime(6_000);
    jest.useRealTimers();
    while (broken.mock.calls.length === 0) await new Promise((resolve) => setImmediate(resolve));
    await stop();
    expect(failed).toEqual([new Error('broken')]);
    expect(broken).toHaveBeenCalledTimes(1);
    expect(forgot.mock.calls.length).toBeLessThanOrEqual(1);
  });
});
