import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { JobRunner } from '../jobs/runner.js';
import { startTestService, type Actor, type TestService } from '../../tests/test-service.js';
import { Metrics } from './metrics.js';

let service: TestService;
let ann: Actor;
let post: string;
beforeAll(async () => {
  service = await startTestService();
  service.house.get(Metrics).begin();
  ann = await service.user('ann');
  post = (await service.call<{ id: string }>('POST', '/v1/posts', { as: ann, body: { body: 'Measured' } })).json.id;
});
afterAll(async () => {
  await service.house.get(JobRunner).stop();
  service.house.get(Metrics).end();
  await service.stop();
});

const read = async () =>
  (await service.call<{ text: string }>('GET', '/metrics', { as: service.operatorKey })).json.text;
/** The value of a line, or null where it is not there. */
const valueIn = (text: string, name: string, labels = ''): number | null => {
  const line = text.split('\n').find((each) => each.startsWith(labels ? `${name}{${labels}}` : `${name} `));
  return line === undefined ? null : Number(line.split(' ').at(-1));
};

describe('metrics', () => {
  test('are OpenMetrics text for the operator alone: every sample belongs to a family with help and type, and the end is said', async () => {
    const { status, headers, json } = await service.call<{ text: string }>('GET', '/metrics', {
      as: service.operatorKey,
    });
    expect([status, headers.get('content-type')]).toEqual([
      200,
      'application/openmetrics-text; version=1.0.0; charset=utf-8',
    ]);
    const lines = json.text.trimEnd().split('\n');
    expect(lines.at(-1)).toBe('# EOF');
    const families = new Set(lines.flatMap((line) => /^# TYPE (\S+) /.exec(line)?.[1] ?? []));
    const helped = new Set(lines.flatMap((line) => /^# HELP (\S+) ./.exec(line)?.[1] ?? []));
    expect(helped).toEqual(families);
    for (const line of lines.filter((each) => !each.startsWith('#'))) {
      const name = /^[a-zA-Z_:][\w:]*/.exec(line)![0];
      expect([
        name,
        families.has(name) || families.has(name.replace(/_(bucket|sum|count|total|info|created)$/, '')),
      ]).toEqual([name, true]);
    }
    for (const as of [undefined, ann])
      expect([401, 403]).toContain((await service.call('GET', '/metrics', { as })).status);
  });

  test('count calls by method, route and status, and no id or handle is a label', async () => {
    const of = (route: string, status: number) =>
      `http_request_method="GET",http_route="${route}",http_response_status_code="${status}"`;
    const count = async (route: string, status: number) =>
      valueIn(await read(), 'http_server_request_duration_seconds_count', of(route, status)) ?? 0;
    const before = [
      await count('/v1/posts/{post}', 200),
      await count('/v1/posts/{post}', 404),
      await count('no route', 404),
    ];
    for (let i = 0; i < 3; i++) await service.call('GET', `/v1/posts/${post}`);
    await service.call('GET', `/v1/posts/${ann.id}`);
    await service.call('GET', '/v1/nowhere');
    expect([
      await count('/v1/posts/{post}', 200),
      await count('/v1/posts/{post}', 404),
      await count('no route', 404),
    ]).toEqual([before[0]! + 3, before[1]! + 1, before[2]! + 1]);
    expect(await read()).not.toMatch(new RegExp(`${post}|${ann.id}|\\bann\\b`));
  });

  test('count statements by their first word, and those that failed apart', async () => {
    const statements = async (verb: string, outcome: string) =>
      valueIn(
        await read(),
        'db_client_operation_duration_seconds_count',
        `db_operation_name="${verb}",outcome="${outcome}"`,
      ) ?? 0;
    const [selects, failed] = [await statements('SELECT', 'done'), await statements('SELECT', 'failed')];
    await service.dataSource.query('SELECT 1');
    await expect(service.dataSource.query('SELECT 1 / 0')).rejects.toThrow();
    expect(await statements('SELECT', 'done')).toBeGreaterThan(selects);
    expect(await statements('SELECT', 'failed')).toBe(failed + 1);
  });

  test('say how many acts were done together', async () => {
    const acts = async (part: string) =>
      valueIn(await read(), `gather_lane_combined_acts_${part}`, 'acts="reactions"') ?? 0;
    const [batches, sum] = [await acts('count'), await acts('sum')];
    const users = await Promise.all(Array.from({ length: 20 }, () => service.user()));
    await Promise.all(
      users.map((as) => service.call('PUT', `/v1/posts/${post}/reaction`, { as, body: { kind: 'like' } })),
    );
    expect(await acts('sum')).toBe(sum + 20);
    expect(await acts('count')).toBeLessThan(batches + 20);
  });

  test('say how connections, jobs, streams and the process are', async () => {
    await service.house.get(JobRunner).begin(service.jobs, () => undefined);
    const text = await read();
    const pool = 'db_client_connection_pool_name="calls, prepared"';
    const most = valueIn(text, 'db_client_connection_max', pool)!;
    const states = ['used', 'idle'].map((state) =>
      valueIn(text, 'db_client_connection_count', `${pool},db_client_connection_state="${state}"`),
    );
    expect(states.every((n) => n !== null && n >= 0 && n <= most)).toBe(true);
    expect(valueIn(text, 'db_client_connection_pending_requests', pool)).toBe(0);
    expect(valueIn(text, 'gather_lane_job_held', 'job="erase deleted accounts"')).toBe(0);
    expect(valueIn(text, 'gather_lane_job_failures', 'job="erase deleted accounts"')).toBe(0);
    for (const name of [
      'gather_lane_streams_open',
      'gather_lane_events_delay_seconds',
      'gather_lane_standings_building_seconds',
    ])
      expect([name, valueIn(text, name)]).toEqual([name, 0]);
    expect(valueIn(text, 'process_resident_memory_bytes')).toBeGreaterThan(1e7);
    expect(valueIn(text, 'nodejs_eventloop_lag_p99_seconds')).not.toBeNull();
    // This call.
    expect(valueIn(text, 'http_server_active_requests')).toBeGreaterThan(0);
  });
});

test('as JSON they are the same, with the mean of each histogram', async () => {
  const listed = async (as: Actor | string | undefined) =>
    service.call<{ items: { name: string; kind: string; values: { labels: object; value: number; n?: number }[] }[] }>(
      'GET',
      '/v1/operator/measurements',
      { as },
    );
  await Promise.all(
    ['like', 'dislike', 'like'].map((kind) =>
      service.call('PUT', `/v1/posts/${post}/reaction`, { as: ann, body: { kind } }),
    ),
  );
  const [{ json }, text] = [await listed(service.operatorKey), await read()];
  const named = new Map(json.items.map((item) => [item.name, item]));
  // A counter by the name of its sample, whether or not it was read as text before.
  const families = text.split('\n').flatMap((line) => {
    const [, name, kind] = /^# TYPE (\S+) (\S+)/.exec(line) ?? [];
    return name === undefined ? [] : [kind === 'counter' ? `${name}_total` : name];
  });
  expect([...named.keys()].sort()).toEqual([...new Set(families)].sort());
  // However soon it is asked again: some figures are of what was since the last time.
  for (let i = 0; i < 20; i++) {
    const { status, json: again } = await listed(service.operatorKey);
    expect([status, again.items?.map(({ name }) => name)]).toEqual([200, [...named.keys()]]);
  }
  expect(named.get('process_cpu_seconds_total')?.values[0]?.value).toBeGreaterThan(0);
  const most = named.get('db_client_connection_max')!;
  expect(most).toMatchObject({
    kind: 'gauge',
    values: expect.arrayContaining([
      {
        labels: { db_client_connection_pool_name: 'calls' },
        value: valueIn(text, 'db_client_connection_max', 'db_client_connection_pool_name="calls"'),
      },
    ]),
  });
  const combined = named.get('gather_lane_combined_acts')!.values.find(({ labels }) => 'acts' in labels)!;
  const of = JSON.stringify(combined.labels).replace(/^\{"acts":|\}$/g, '');
  const [sum, count] = ['sum', 'count'].map((end) => valueIn(text, `gather_lane_combined_acts_${end}`, `acts=${of}`)!);
  expect(combined).toMatchObject({ n: count, value: sum! / count! });
  for (const as of [undefined, ann]) expect([401, 403]).toContain((await listed(as)).status);
});
