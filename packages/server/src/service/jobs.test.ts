import { afterAll, afterEach, beforeAll, describe, expect, jest, test } from '@jest/globals';
import type { Job } from '../ground/capability/capability.js';
import { JobRunner, type JobStanding } from '../ground/jobs/runner.js';
import { startTestService, type TestService } from '../tests/test-service.js';

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
});

describe('beside other processes', () => {
  interface Given {
    readonly run: Job['run'];
    readonly everySeconds?: number;
  }
  const runners: JobRunner[] = [];
  const failed: unknown[] = [];
  const begin = async (jobs: Record<string, Given>) => {
    const runner = new JobRunner(service.dataSource);
    runners.push(runner);
    await runner.begin(
      Object.entries(jobs).map(([does, job]) => ({ does, ...job })),
      (error) => failed.push(error),
    );
    return runner;
  };
  const due = () => service.dataSource.query(`UPDATE jobs SET due_at = clock_timestamp()`);
  const standing = async (runner: JobRunner, does: string) =>
    (await runner.standing()).find((job) => job.does === does)!;
  /** Resolves once it holds. */
  const until = async (holds: () => boolean | Promise<boolean>) => {
    while (!(await holds())) await new Promise((resolve) => setImmediate(resolve));
  };
  const inSeconds = ({ dueAt, endedAt }: JobStanding) => Math.round((dueAt.getTime() - endedAt!.getTime()) / 1000);

  afterEach(async () => {
    await Promise.all(runners.splice(0).map((runner) => runner.stop()));
    failed.length = 0;
    await service.dataSource.query(`DELETE FROM jobs`);
  });

  test('each job is done by one of them at a time, and due again when it is to be', async () => {
    let [atWork, most, done] = [0, 0, 0];
    let goOn = () => undefined as void;
    const held = new Promise<void>((resolve) => (goOn = resolve));
    const job = {
      everySeconds: 60,
      run: async () => {
        most = Math.max(most, ++atWork);
        await held;
        atWork--;
        done++;
      },
    };
    const all = [await begin({ sweep: job }), await begin({ sweep: job }), await begin({ sweep: job })];
    await due();
    for (const runner of all) runner.look();
    await until(() => atWork > 0);
    for (const runner of all) runner.look();
    const [one] = all as [JobRunner];
    expect(await standing(one, 'sweep')).toMatchObject({ heldBy: expect.stringMatching(/ \d+$/), everySeconds: 60 });
    goOn();
    await until(async () => (await standing(one, 'sweep')).heldBy === null);
    expect([done, most, inSeconds(await standing(one, 'sweep'))]).toEqual([1, 1, 60]);
  });

  test('what a process that died was at is taken over once its time is over, and not before', async () => {
    let done = 0;
    const runner = await begin({ sweep: { run: async () => void done++ }, rinse: { run: async () => undefined } });
    const dies = (when: string) =>
      service.dataSource.query(
        `UPDATE jobs SET due_at = clock_timestamp(), holder = gen_random_uuid(), held_by = 'weir 12', held_until = clock_timestamp() + $1::interval WHERE name = 'sweep'`,
        [when],
      );
    await dies('1 hour');
    await service.dataSource.query(`UPDATE jobs SET due_at = clock_timestamp() WHERE name = 'rinse'`);
    runner.look();
    await until(async () => (await standing(runner, 'rinse')).endedAt !== null);
    expect([done, (await standing(runner, 'sweep')).heldBy]).toEqual([0, 'weir 12']);
    await dies('0 seconds');
    expect((await standing(runner, 'sweep')).heldBy).toBeNull();
    runner.look();
    await until(() => done === 1);
  });

  test('one that fails is told, holds no other up, and is tried again sooner, and later each time', async () => {
    let fails = true;
    let others = 0;
    const runner = await begin({
      sweep: {
        run: async () => {
          if (fails) throw new Error('The broom is broken');
        },
      },
      rinse: { run: async () => void others++ },
    });
    const after = async (times: number) => {
      await due();
      runner.look();
      await until(async () => (await standing(runner, 'sweep')).failures === times && others > 0);
      return standing(runner, 'sweep');
    };
    expect(await after(1)).toMatchObject({ failedWith: 'The broom is broken', heldBy: null });
    expect(inSeconds(await standing(runner, 'sweep'))).toBe(5);
    expect(inSeconds(await after(2))).toBe(10);
    expect(failed).toEqual([new Error('The broom is broken'), new Error('The broom is broken')]);
    fails = false;
    expect(await after(0)).toMatchObject({ failedWith: null });
    expect(inSeconds(await standing(runner, 'sweep'))).toBe(3600);
  });

  test('a stop tells what is under way to end, waits for it, and leaves it due for the next process', async () => {
    const ended: string[] = [];
    const run = (stopping: AbortSignal) =>
      new Promise<void>((resolve) => {
        ended.push('begun');
        stopping.addEventListener('abort', () => {
          ended.push('ended');
          resolve();
        });
      });
    const runner = await begin({ sweep: { run } });
    await due();
    runner.look();
    await until(() => ended.length > 0);
    await runner.stop();
    expect(ended).toEqual(['begun', 'ended']);
    expect(inSeconds(await standing(runner, 'sweep'))).toBe(0);
  });

  test('who was held up for so long that the job is another’s is told to end it, and its end counts for nothing', async () => {
    jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate', 'Date'] });
    try {
      let lost = false;
      const run = (stopping: AbortSignal) =>
        new Promise<void>((resolve) =>
          stopping.addEventListener('abort', () => {
            lost = true;
            resolve();
          }),
        );
      const runner = await begin({ sweep: { run } });
      await due();
      runner.look();
      await until(async () => (await standing(runner, 'sweep')).heldBy !== null);
      await service.dataSource.query(`UPDATE jobs SET holder = gen_random_uuid(), held_by = 'weir 12'`);
      jest.advanceTimersByTime(6_000);
      await until(() => lost);
      expect(await standing(runner, 'sweep')).toMatchObject({ heldBy: 'weir 12', endedAt: null });
    } finally {
      jest.useRealTimers();
    }
  });

  test('the operator sees them, and nobody else does', async () => {
    const runner = service.house.get(JobRunner);
    await runner.begin(service.jobs, () => undefined);
    runners.push(runner);
    const { json } = await service.call<{ items: { does: string }[] }>('GET', '/v1/operator/jobs', {
      as: service.operatorKey,
    });
    const shared = service.jobs.filter((job) => !job.ofEachProcess).map(({ does }) => does);
    expect(json.items.map(({ does }) => does).sort()).toEqual(shared.sort());
    expect((await service.call('GET', '/v1/operator/jobs', { as: await service.user() })).status).toBe(403);
  });
});
