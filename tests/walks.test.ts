import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { run } from './command.js';
import { startDemo, type DemoService } from './demo-service.js';

let service: DemoService;
let folder: string;
beforeAll(async () => {
  service = await startDemo();
  folder = mkdtempSync(join(tmpdir(), 'gather-lane-walks-'));
});
afterAll(async () => {
  await service.end();
  rmSync(folder, { recursive: true });
});

const file = (text: string): string => {
  const path = join(folder, `${Math.random().toString(36).slice(2)}.yaml`);
  writeFileSync(path, text);
  return path;
};
const walk = (args: string[], key = readFileSync(service.operatorKey, 'utf8').trim()) =>
  run(['walk', '--address', service.address, ...args], { env: { ...(key && { GATHER_LANE_OPERATOR_KEY: key }) } });
const usersNow = async () => {
  const reply = await fetch(`${service.address}/v1/users?q=_&limit=100`);
  return ((await reply.json()) as { items: { handle: string }[] }).items.map(({ handle }) => handle);
};
const MISSED = `walk: What is not so
people: [ann]
steps:
  - step: Ann posts
    as: ann
    call: POST /v1/posts
    body: { body: One. }
    keep: { post: /id }
    expect: { status: 201, body: { version: 2 }, rows: { posts: { inserted: 2 } } }
  - call: GET /v1/posts/{post}
`;

describe('gather-lane walk', () => {
  test('takes the eight that come with Gather Lane, on a demo of its own that is gone afterwards', async () => {
    const { code, out } = await run(['walk', '--demo', '--json']);
    const { met, walks, address } = JSON.parse(out) as {
      met: boolean;
      address: string;
      walks: { walk: string; steps: { n: number; met: boolean }[]; of: number }[];
    };
    expect([code, met, walks.length]).toEqual([0, true, 8]);
    for (const { walk: name, steps, of } of walks)
      expect([name, steps.filter((step) => step.n > 0 && step.met).length]).toEqual([name, of]);
    await expect(fetch(`${address}/health`)).rejects.toThrow();
  });

  test('says of a step that is not met what was expected and what came, takes no more, and removes whom it made', async () => {
    const path = file(MISSED);
    const { code, out } = await walk([path]);
    expect(code).toBe(1);
    expect(out).toMatch(/✗ +1 +Ann posts +ann: POST \/v1\/posts +201/);
    expect(out).toMatch(
      /body\/version\n +expected +2\n +came +1\n +rows\/posts\/inserted\n +expected +2\n +came +\[\{"id":/,
    );
    expect(out).toContain('✗ not met at step 1; 1 of 2 steps were not taken');
    expect((await usersNow()).filter((handle) => handle.startsWith('ann_'))).toEqual([]);
    const junit = await walk([path, '--junit']);
    expect([junit.code, junit.err]).toEqual([1, '']);
    expect(junit.out).toMatch(/<testsuites name="walks" tests="\d+" failures="1" skipped="1"/);
    expect(junit.out).toMatch(
      /<failure message="body\/version: expected 2, came 1; rows\/posts\/inserted: expected 2, came/,
    );
  });

  test.each([
    ['a file that is not there', ['nowhere.yaml'], 2, /There is no file nowhere.yaml/],
    [
      'a tab in the indentation',
      [() => file('walk: A\nsteps:\n\t- call: GET /v1/about')],
      1,
      /:3 +the walk is not well-formed YAML: Tabs/,
    ],
    [
      'a property that the API does not have',
      [() => file('walk: A\nsteps:\n  - call: GET /v1/about\n    expect: { body: { nmae: 1 } }')],
      1,
      /:3 +step 1 expects \/nmae of the body[\s\S]*nothing was called/,
    ],
  ])('refuses %s before anything is called', async (_, args, code, says) => {
    const ran = await walk(args.map((each) => (typeof each === 'string' ? each : each())));
    expect(ran.code).toBe(code);
    expect(ran.out + ran.err).toMatch(says);
  });

  test('gives up a step that never ends', async () => {
    const { code, out } = await walk([
      file('walk: A\npeople: [ann]\nsteps:\n  - as: ann\n    call: GET /v1/events\n    within: 300ms'),
    ]);
    expect(code).toBe(1);
    expect(out).toMatch(/has not answered within 0.3 s/);
  });

  test('without the operator key says that it cannot see rows, and takes all else', async () => {
    const { code, out } = await walk([file(MISSED)], '');
    expect(code).toBe(1);
    expect(out).toMatch(/rows\n +expected +"rows that can be seen"/);
  });

  test('says where nothing answers', async () => {
    const { code, out } = await run([
      'walk',
      '--address',
      'http://127.0.0.1:9',
      file('walk: A\nsteps:\n  - call: GET /v1/about'),
    ]);
    expect([code, out]).toEqual([1, expect.any(String)]);
  });
});

describe('a walk of a service that is none of ours', () => {
  let server: Server;
  let address: string;
  const asked: string[] = [];
  beforeAll(async () => {
    const document = {
      openapi: '3.1.0',
      paths: {
        '/members': { post: { responses: { 200: {} } } },
        '/berths/{berth}': {
          get: {
            responses: {
              200: {
                content: {
                  'application/json': {
                    schema: { type: 'object', properties: { free: { type: 'boolean' }, length: { type: 'number' } } },
                  },
                },
              },
            },
          },
        },
      },
    };
    server = createServer((request, reply) => {
      asked.push(`${request.method} ${request.url} ${request.headers['x-member'] ?? ''}`.trim());
      const body =
        request.url === '/api.json'
          ? document
          : request.url === '/members'
            ? { pass: 'p7' }
            : { free: true, length: 11.5 };
      reply.setHeader('content-type', 'application/json').end(JSON.stringify(body));
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    address = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
  });
  afterAll(() => new Promise((resolve) => server.close(resolve)));

  const text = (expected: string) => `walk: A berth is free
service: { address: '${address}', document: /api.json }
people: [ann]
joining:
  calls: [{ call: POST /members, keep: { pass: /pass } }]
  sends: { x-member: '{person.pass}' }
leaving: { call: POST /members }
steps:
  - as: ann
    call: GET /berths/7
    expect:
      status: 200
      body: ${expected}
      schema: { properties: { length: { maximum: 12 } }, required: [length] }
`;

  test('goes by its own document, with people who come and go by its own calls', async () => {
    const { code, out } = await run(['walk', file(text('{ free: true }'))]);
    expect([code, out]).toEqual([0, expect.stringContaining('✓ 1 steps')]);
    expect(asked).toEqual(['GET /api.json', 'POST /members', 'GET /berths/7 p7', 'POST /members p7']);
  });

  test('and is handed no operator key of ours', async () => {
    const { code, out } = await walk([file(text('{ free: true }').replace('  - as: ann', '  - as: operator'))]);
    expect([code, out]).toEqual([1, expect.stringContaining('as the operator, whose key is not known here')]);
    expect(asked.filter((call) => call.includes('berths'))).toHaveLength(1);
  });

  test('and is told beforehand what that does not have', async () => {
    const { code, out } = await run(['walk', file(text('{ fre: true }'))]);
    expect([code, out]).toEqual([1, expect.stringContaining('expects /fre of the body')]);
  });
});

describe('gather-lane traces', () => {
  test('lists calls, and shows one with its statements and rows', async () => {
    const env = {
      GATHER_LANE_OPERATOR_KEY: readFileSync(service.operatorKey, 'utf8').trim(),
      GATHER_LANE_SESSION_FILE: join(folder, 'session.json'),
    };
    const ours = (...args: string[]) => run([...args, '--address', service.address], { env });
    await run(['sign-in', 'odile', '--address', service.address], { env, input: 'tidewick-demo\n' });
    expect((await ours('post', 'Up before the lock opens.')).code).toBe(0);
    const listed = await ours('traces', '--method', 'post', '--route', '/v1/posts', '--caller', '@odile');
    expect(listed.out).toMatch(/POST \/v1\/posts +@odile +201/);
    const id = /^([0-9a-f]{6}) .*POST \/v1\/posts/m.exec(listed.out)![1]!;
    const shown = await ours('trace', id);
    expect(shown.out).toMatch(/\+ posts +statement \d+\n.*body Up before the lock opens\./);
    expect(shown.out).toMatch(/~ user_tallies …?[^\n]* by function count_users\n +posts \d+ → \d+/);
    expect(shown.out).toMatch(/INSERT INTO posts .* posts +\d+\.\d +1 +1/);
    expect((await ours('traces', '--status', '5xx')).out).toContain('No call fits');
    expect((await ours('traces', '--json')).out).toMatch(/^\[/);
    expect((await ours('jobs')).out).toMatch(/tell those who watch a post of comments +5 s .* (waiting|under way at )/);
  });
});
