import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { checkWalk } from './check-walk.js';
import { unfitFor } from './fits.js';
import { differences, type CameOf } from './meet.js';
import { readWalk, type ReadWalk } from './read-walk.js';
import { recordWalk, type MadeCall } from './record-walk.js';
import { runWalk, type CameBack, type SentCall, type WalkRunner } from './run-walk.js';
import { filled, filledPath, namesIn, valueAt } from './values.js';
import { WALK_SCHEMA, type Expectation, type Json } from './walk.js';

const read = (text: string): ReadWalk => {
  const found = readWalk(text);
  if (!('walk' in found)) throw new Error(JSON.stringify(found));
  return found;
};
const faultsIn = (text: string) => {
  const found = readWalk(text);
  return 'walk' in found ? checkWalk(found, DOCUMENT) : found;
};

const DOCUMENT = {
  paths: {
    '/things': {
      get: {
        responses: { 200: { content: { 'application/json': { schema: { $ref: '#/components/schemas/Things' } } } } },
      },
      post: {
        requestBody: {
          content: {
            'application/json': {
              schema: { type: 'object', properties: { name: { type: 'string' } }, additionalProperties: false },
            },
          },
        },
        responses: {
          201: { content: { 'application/json': { schema: { $ref: '#/components/schemas/Thing' } } } },
          422: {},
        },
      },
    },
    '/things/{thing}': { delete: { responses: { 204: {} } } },
  },
  components: {
    schemas: {
      Thing: {
        type: 'object',
        properties: {
          id: { type: 'string' },
          owner: { anyOf: [{ type: 'object', properties: { name: {} } }, { type: 'null' }] },
        },
      },
      Things: {
        type: 'object',
        properties: { items: { type: 'array', items: { $ref: '#/components/schemas/Thing' } } },
      },
    },
  },
};

describe('values', () => {
  const known = new Map<string, Json>([
    ['post', 'p/1'],
    ['n', 3],
    ['before', ['a', 'b']],
    ['ann.id', 'x'],
  ]);

  test('stand where they are named, as what they are; a doubled brace is one', () => {
    expect(
      filled({ a: '{n}', b: 'no {n} of {post}', c: ['{post}', '{before...}', '{before}'], d: '{{n}} { n }' }, known),
    ).toEqual({
      a: 3,
      b: 'no 3 of p/1',
      c: ['p/1', 'a', 'b', ['a', 'b']],
      d: '{n} { n }',
    });
    expect(filledPath('/posts/{post}?by={ann.id}', known)).toBe('/posts/p%2F1?by=x');
    expect(() => filled('{gone}', known)).toThrow('There is no value {gone}.');
    expect(namesIn({ a: ['{x}', '{{y}}'], b: '{ann.id} {z...}' })).toEqual(['x', 'ann.id', 'z']);
  });

  test('are found by JSON Pointer, a star for every item', () => {
    const body: Json = { 'items': [{ id: 1, tags: ['x', 'y'] }, { id: 2, tags: [] }, {}], 'a/b': { '~': true } };
    expect(valueAt(body, '/items/*/id')).toEqual([1, 2]);
    expect(valueAt(body, '/items/*/tags/*')).toEqual(['x', 'y']);
    expect(valueAt(body, '/items/1/id')).toBe(2);
    expect(valueAt(body, '/a~1b/~0')).toBe(true);
    expect([valueAt(body, '/items/9/id'), valueAt(body, '/constructor'), valueAt(undefined, '/a')]).toEqual([
      undefined,
      undefined,
      undefined,
    ]);
    expect(valueAt(body, '')).toBe(body);
  });
});

describe('what is wrong with a walk', () => {
  test.each([
    ['a tab in the indentation', 'walk: A\nsteps:\n\t- call: GET /things', /^is not well-formed YAML: Tabs/, 3],
    [
      'an unknown part',
      'walk: A\nsteps:\n  - call: GET /things\n    wait: 3',
      /`wait` is no part of a walk; the known ones are step, as, call/,
      4,
    ],
    ['no steps', 'walk: A', /is missing/, 1],
    ['a call without a method', 'walk: A\nsteps:\n  - call: /things', /`call` must match pattern/, 3],
    [
      'an alias inside of what it names',
      'walk: A\nsteps: &all\n  - call: GET /things\n    body: *all',
      /an alias/,
      null,
    ],
  ])('%s', (_, text, says, line) => {
    const [fault] = faultsIn(text);
    expect(fault!.says).toMatch(says);
    expect(fault!.line).toBe(line);
  });

  test.each([
    [
      'a value that nothing keeps',
      `call: 'DELETE /things/{thing}'`,
      'step 1 asks for {thing}, which nothing keeps; a brace that is meant is doubled, {{',
    ],
    [
      'one that is kept of its own reply',
      `call: 'DELETE /things/{id}'\n    keep: { id: /id }`,
      'step 1 asks for {id}, which it keeps of its own reply: it would have to come before itself',
    ],
    [
      'a caller whom nobody makes',
      'call: GET /things\n    as: ann',
      'step 1 is called as `ann`, who is none of its people: there are operator, nobody',
    ],
    [
      'a call that is not in the document',
      'call: GET /thing',
      'step 1 calls GET /thing, which the API document does not have (did you mean /things?)',
    ],
    [
      'a status that never comes',
      'call: GET /things\n    expect: { status: 418 }',
      'step 1 expects 418, which this call never answers: it answers 200',
    ],
    [
      'a property of the body that is not there',
      'call: GET /things\n    expect: { body: { items: [{ id: 1, nam: 2 }] } }',
      'step 1 expects /items/0/nam of the body, which the API document does not have',
    ],
    [
      'one inside of a choice',
      'call: POST /things\n    expect: { status: 201, body: { owner: { nam: 1 } } }',
      'step 1 expects /owner/nam of the body, which the API document does not have',
    ],
    [
      'a value that is not there',
      'call: GET /things\n    expect: { values: { /items/*/nam: [] } }',
      'step 1 expects /items/*/nam (there is no `nam`) of the body, which the API document does not have',
    ],
    [
      'a kept value that is not there',
      'call: GET /things\n    keep: { x: /items/0/nam }',
      'step 1 keeps x from /items/0/nam, but the reply has no `nam`',
    ],
    [
      'a sent property that is not taken',
      'call: POST /things\n    body: { nam: 1 }',
      'step 1 sends /nam in the body, which the call does not take',
    ],
  ])('%s, before anything is called', (_, step, says) => {
    const [fault, ...others] = faultsIn(`walk: A\nsteps:\n  - ${step}`);
    expect(`${fault!.where} ${fault!.says}`).toBe(says);
    expect([fault!.line, others]).toEqual([3, []]);
  });

  test('a value that only a later step keeps', () => {
    const text = `walk: A\nsteps:\n  - call: 'DELETE /things/{b}'\n  - call: POST /things\n    keep: { b: /id }`;
    expect(faultsIn(text).map(({ says }) => says)).toEqual([
      'asks for {b}, which is kept by step 2 only: that comes later',
    ]);
  });

  test('nothing, of what is meant to be refused and sends what it likes', () => {
    expect(
      faultsIn('walk: A\nsteps:\n  - call: POST /things\n    body: { nam: 1 }\n    expect: { status: 422 }'),
    ).toEqual([]);
  });

  test('nothing, of ten thousand steps', () => {
    const steps = Array.from({ length: 10_000 }, () => '  - call: GET /things').join('\n');
    expect(faultsIn(`walk: A\nsteps:\n${steps}`)).toEqual([]);
  });

  test('is what the schema that is published for editors says', () => {
    expect(JSON.parse(readFileSync('packages/core/walk.schema.json', 'utf8'))).toEqual(WALK_SCHEMA);
  });

  test('nothing, of the eight that come with Gather Lane', () => {
    const folder = join(process.cwd(), 'packages/core/walks');
    const files = readdirSync(folder);
    expect(files).toHaveLength(8);
    for (const file of files)
      expect([file, checkWalk(read(readFileSync(join(folder, file), 'utf8')), null)]).toEqual([file, []]);
  });
});

describe('what is expected and what comes', () => {
  const came = (body: Json, more: Partial<CameOf> = {}): CameOf => ({
    status: 200,
    body,
    rows: null,
    unfit: [],
    ...more,
  });
  const told = (expect: Expectation, of: CameOf, known = new Map<string, Json>()) =>
    differences(expect, of, known).map(({ at }) => at);

  test('statuses, problems and bodies', () => {
    expect(told({ status: 201 }, came({}))).toEqual(['status']);
    expect(told({ status: [200, 201] }, came({}))).toEqual([]);
    expect(told({ problem: 'not-yours' }, came({ type: 'https://x.example/docs/problems/not-yours' }))).toEqual([]);
    expect(told({ problem: 'not-yours' }, came({ type: 'about:blank' }))).toEqual(['problem']);
    expect(told({ body: { a: { b: 1 } } }, came({ a: { b: 1, c: 2 }, d: 3 }))).toEqual([]);
    expect(told({ body: { a: { b: 1 } } }, came({ a: { b: 2 } }))).toEqual(['body/a/b']);
    expect(told({ body: { items: [{ id: 1 }] } }, came({ items: [{ id: 1 }, { id: 2 }] }))).toEqual(['body/items']);
    expect(told({ body: { a: null } }, came({}))).toEqual(['body/a']);
    expect(told({ body: { a: {} } }, came({ a: [] }))).toEqual(['body/a']);
  });

  test('values, whole', () => {
    const body = { items: [{ id: 'c' }, { id: 'a' }, { id: 'b' }] };
    const known = new Map<string, Json>([
      ['before', ['a', 'b']],
      ['made', 'c'],
    ]);
    expect(told({ values: { '/items/*/id': ['{made}', '{before...}'] } }, came(body), known)).toEqual([]);
    expect(told({ values: { '/items/*/id': ['{before...}', '{made}'] } }, came(body), known)).toEqual([
      'body/items/*/id/0',
      'body/items/*/id/1',
      'body/items/*/id/2',
    ]);
    expect(told({ values: { '/items/0': {} } }, came(body))).toEqual(['body/items/0']);
  });

  test('rows: how many, or which, and of a table that is named nothing else', () => {
    const change = (act: 'inserted' | 'changed' | 'deleted', table: string, id: number, undone = false) => ({
      table,
      act,
      key: null,
      before: act === 'inserted' ? null : { id },
      after: act === 'deleted' ? null : { id, by: 'x' },
      changed: [],
      masked: [],
      by: null,
      statement: 0,
      undone,
    });
    const rows = [
      change('inserted', 'posts', 1),
      change('inserted', 'posts', 2, true),
      change('deleted', 'follows', 3),
      change('changed', 'standings_4', 1),
    ];
    const of = (expected: Expectation['rows']) => told({ rows: expected! }, came({}, { rows }));
    expect(of({ posts: { inserted: 1 }, standings: { changed: 1 } })).toEqual([]);
    expect(of({ posts: { inserted: [{ id: 1 }] }, follows: { deleted: [{ id: 3 }] } })).toEqual([]);
    expect(of({ posts: { inserted: [{ id: 2 }] } })).toEqual(['rows/posts/inserted']);
    expect(of({ posts: {} })).toEqual(['rows/posts/inserted']);
    expect(of({ follows: { inserted: 1, deleted: 1 } })).toEqual(['rows/follows/inserted']);
    expect(told({ rows: {} }, came({}))).toEqual(['rows']);
  });

  test('a JSON Schema', () => {
    const schema = { properties: { items: { maxItems: 1 }, at: { type: 'string', format: 'date-time' } } };
    expect(unfitFor(schema, { items: [1], at: '2026-01-01T00:00:00Z' })).toEqual([]);
    expect(unfitFor(schema, { items: [1, 2], at: 'today' }).map(({ at }) => at)).toEqual(['body/items', 'body/at']);
    expect(() => unfitFor({ type: 'nothing' }, {})).toThrow(/schema is invalid/);
  });
});

describe('a walk that is taken', () => {
  /** A service of one's own: it answers what it is told to, and remembers what it was asked. */
  const runnerOf = (
    answer: (call: SentCall) => Partial<CameBack> | Promise<Partial<CameBack>>,
  ): WalkRunner & { readonly asked: string[]; readonly waited: number[] } => {
    const [asked, waited]: [string[], number[]] = [[], []];
    return {
      asked,
      waited,
      mark: 'abcd',
      now: () => 0,
      operator: null,
      unfit: unfitFor,
      wait: (ms) => (waited.push(ms), Promise.resolve()),
      send: async (call) => {
        asked.push(
          `${call.method} ${call.path}${call.headers.authorization ? ` as ${call.headers.authorization.slice(7)}` : ''}`,
        );
        return { status: 200, headers: {}, body: undefined, ...(await answer(call)) };
      },
    };
  };
  const taken = async (text: string, runner: WalkRunner) => {
    const outcomes = [];
    for await (const outcome of runWalk(read(text).walk, runner)) outcomes.push(outcome);
    return outcomes;
  };
  const ours = (call: SentCall): Partial<CameBack> => {
    const { handle, login } = (call.body ?? {}) as { handle?: string; login?: string };
    if (call.path === '/v1/users') return { status: 201, body: { id: `id-of-${handle}` } };
    if (call.path === '/v1/sessions') return { status: 201, body: { accessToken: `token-of-${login}` } };
    return {};
  };

  test('makes its people, takes its steps as them, and removes them', async () => {
    const runner = runnerOf(ours);
    const outcomes = await taken(
      `walk: A\npeople: [ann]\nsteps:\n  - as: ann\n    call: PUT /follows/{ann.id}\n  - call: GET /x`,
      runner,
    );
    expect(outcomes.map(({ n, met }) => [n, met])).toEqual([
      [0, true],
      [0, true],
      [1, true],
      [2, true],
      [-1, true],
    ]);
    expect(runner.asked).toEqual([
      'POST /v1/users',
      'POST /v1/sessions',
      'PUT /follows/id-of-ann_abcd as token-of-ann_abcd',
      'GET /x',
      'DELETE /v1/users/id-of-ann_abcd as token-of-ann_abcd',
    ]);
  });

  test('ends at the step that is not met, and removes its people even so', async () => {
    const runner = runnerOf((call) => (call.path === '/no' ? { status: 500 } : ours(call)));
    const outcomes = await taken(
      `walk: A\npeople: [ann]\nsteps:\n  - call: GET /no\n    expect: { status: 200 }\n  - call: GET /never`,
      runner,
    );
    expect(outcomes.map(({ n, met }) => [n, met]).slice(2)).toEqual([
      [1, false],
      [-1, true],
    ]);
    expect(outcomes[2]!.differences).toEqual([{ at: 'status', expected: 200, came: 500 }]);
    expect(runner.asked.join()).not.toContain('/never');
  });

  test('waits where a service lets only so many join, and says why where it lets nobody', async () => {
    let left = 1;
    const waiting = runnerOf((call) =>
      call.path === '/v1/users' && left-- > 0 ? { status: 429, headers: { 'retry-after': '7' } } : ours(call),
    );
    expect((await taken(`walk: A\npeople: [ann]\nsteps:\n  - call: GET /x`, waiting)).every(({ met }) => met)).toBe(
      true,
    );
    expect(waiting.waited).toEqual([7_000]);
    const closed = runnerOf(() => ({ status: 403, body: { detail: 'Nobody joins today.' } }));
    const [outcome, ...more] = await taken(`walk: A\npeople: [ann]\nsteps:\n  - call: GET /x`, closed);
    expect([outcome!.fault, more]).toEqual(['ann could not join: Nobody joins today.', []]);
  });

  test('of another service, whose people come and are known by other calls', async () => {
    const runner = runnerOf((call) => (call.path === '/join' ? { headers: { 'x-pass': 'p1' }, body: { nr: 5 } } : {}));
    const text = `walk: A\npeople: [ann]\njoining:\n  calls: [{ call: POST /join, keep: { nr: /nr, pass: header X-Pass } }]\n  sends: { authorization: 'Pass   {person.pass}' }\nleaving: { call: 'POST /leave/{person.nr}' }\nsteps:\n  - as: ann\n    call: GET /mine`;
    await taken(text, runner);
    expect(runner.asked).toEqual(
      ['POST /join', 'GET /mine as p1', 'POST /leave/5 as p1'].map((each) => each.replace('as p1', 'as p1')),
    );
  });

  test('says why nothing came back', async () => {
    const runner = runnerOf(() => Promise.reject(new Error('Nothing answers at http://x.example.')));
    expect((await taken(`walk: A\nsteps:\n  - call: GET /x`, runner))[0]).toMatchObject({
      met: false,
      status: null,
      fault: 'Nothing answers at http://x.example.',
    });
    const operator = await taken(`walk: A\nsteps:\n  - as: operator\n    call: GET /x`, runner);
    expect(operator[0]!.fault).toMatch(/as the operator, whose key is not known/);
  });

  test('gives each call so long', async () => {
    const times: number[] = [];
    const runner = runnerOf((call) => (times.push(call.withinMs), {}));
    await taken(
      `walk: A\nsteps:\n  - call: GET /a\n  - call: GET /b\n    within: 250ms\n  - call: GET /c\n    within: 2m`,
      runner,
    );
    expect(times).toEqual([10_000, 250, 120_000]);
  });
});

test('calls that were made become a walk: people for callers, kept values for ids that replies held', () => {
  const [user, post] = ['01a2162d-41af-7122-9b24-51b2aa01f54e', '01a2162d-41e0-724f-955a-66b22232e5db'];
  const made = (more: Partial<MadeCall>): MadeCall => ({
    as: '@odile',
    userId: user,
    method: 'GET',
    path: '/x',
    headers: {},
    body: undefined,
    status: 200,
    reply: undefined,
    ...more,
  });
  const text = recordWalk('What was called', [
    made({ method: 'POST', path: '/v1/posts', body: { body: 'Set in {braces}' }, status: 201, reply: { id: post } }),
    made({ as: 'nobody', userId: null, path: `/v1/posts/${post}` }),
    made({ method: 'PUT', path: `/v1/follows/${user}`, status: 422 }),
  ]);
  expect(read(text).walk).toEqual({
    walk: 'What was called',
    people: ['odile'],
    steps: [
      {
        as: 'odile',
        call: 'POST /v1/posts',
        body: { body: 'Set in {{braces}}' },
        keep: { post: '/id' },
        expect: { status: 201 },
      },
      { as: 'nobody', call: 'GET /v1/posts/{post}', expect: { status: 200 } },
      { as: 'odile', call: 'PUT /v1/follows/{odile.id}', expect: { status: 422 } },
    ],
  });
});
