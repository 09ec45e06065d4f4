import { describe, expect, test } from '@jest/globals';
import { readTraceparent, writeTraceparent } from './context.js';
import { maskedPath, parameterKind } from './parameters.js';
import { planFacts, type PlanFacts } from './plan-facts.js';
import type { RowChange, StatementTrace } from './trace.js';
import { warningsOf, type Reviewed } from './warnings.js';

const statement = (text: string, more: Partial<StatementTrace> = {}): StatementTrace => ({
  text,
  capability: null,
  parameters: [],
  at: 0,
  ms: 1,
  rows: 1,
  changed: 0,
  transaction: null,
  shared: 1,
  error: null,
  ...more,
});
const row = (n: number, more: Partial<RowChange> = {}): RowChange => ({
  table: 'posts',
  key: null,
  act: 'inserted',
  before: null,
  after: {},
  changed: [],
  masked: [],
  by: null,
  statement: n,
  undone: false,
  ...more,
});
const facts = (more: Partial<PlanFacts>): PlanFacts => ({
  scans: [],
  limited: true,
  looked: null,
  returned: null,
  ...more,
});
const review = (call: Partial<Reviewed>) =>
  warningsOf({ statements: [], rows: [], plans: new Map(), shown: null, ...call }).map(({ kind, statements }) => [
    kind,
    statements,
  ]);

describe('what a reviewer says of a call', () => {
  const one = 'SELECT name FROM users WHERE id = $1';

  test('the same statement once for each row, and nothing of four', () => {
    expect(review({ statements: Array.from({ length: 4 }, () => statement(one)) })).toEqual([]);
    expect(review({ statements: [statement('SELECT 1'), ...Array.from({ length: 5 }, () => statement(one))] })).toEqual(
      [['repeated', [1, 2, 3, 4, 5]]],
    );
  });

  test('nothing of what is sent for many calls together, nor of savepoints', () => {
    expect(review({ statements: Array.from({ length: 9 }, () => statement(one, { shared: 3 })) })).toEqual([]);
    expect(review({ statements: Array.from({ length: 9 }, () => statement('SAVEPOINT s')) })).toEqual([]);
  });

  test('a large table that is read from end to end, not a small one', () => {
    const plans = (rows: number) => new Map([[one, facts({ scans: [{ table: 'users', rows }] })]]);
    expect(review({ statements: [statement(one)], plans: plans(999) })).toEqual([]);
    expect(review({ statements: [statement(one)], plans: plans(1_000) })).toEqual([['scan', [0]]]);
  });

  test('a list that nothing limits, unless the caller named its keys', () => {
    const all = 'SELECT id FROM posts';
    const plans = new Map([[all, facts({ limited: false })]]);
    expect(review({ statements: [statement(all, { rows: 99 })], plans })).toEqual([]);
    expect(review({ statements: [statement(all, { rows: 100 })], plans })).toEqual([['no-limit', [0]]]);
    expect(review({ statements: [statement(all, { rows: 100, parameters: ['list of 100'] })], plans })).toEqual([]);
    expect(review({ statements: [statement(all, { rows: 100 })], plans: new Map([[all, facts({})]]) })).toEqual([]);
  });

  test('writes that each commit by themselves, and not those of one transaction', () => {
    const statements = [statement('INSERT 1'), statement('INSERT 2')];
    expect(review({ statements, rows: [row(0), row(1)] })).toEqual([['apart', [0, 1]]]);
    expect(review({ statements, rows: [row(0), row(0)] })).toEqual([]);
    expect(review({ statements, rows: [row(0), row(1, { undone: true })] })).toEqual([]);
    const together = statements.map((each) => ({ ...each, transaction: 1 }));
    expect(review({ statements: together, rows: [row(0), row(1)] })).toEqual([]);
    const after = [{ ...statements[0]!, transaction: 1 }, statements[1]!];
    expect(review({ statements: after, rows: [row(0), row(1)] })).toEqual([['apart', [1]]]);
  });

  test('a hundred times more rows read than shown, by the database or by the service', () => {
    const plans = (looked: number) => new Map([[one, facts({ looked, returned: 10 })]]);
    expect(review({ statements: [statement(one, { rows: 10 })], plans: plans(999) })).toEqual([]);
    expect(review({ statements: [statement(one, { rows: 10 })], plans: plans(1_000) })).toEqual([['reads-more', [0]]]);
    expect(review({ statements: [statement(one, { rows: 2_000 })], shown: 20 })).toEqual([['reads-more', [0]]]);
    expect(review({ statements: [statement(one, { rows: 2_000 })], shown: 21 })).toEqual([]);
  });
});

describe('a plan', () => {
  test('says which tables are read from end to end, what is limited, and how many rows were looked at', () => {
    const scan = {
      'Node Type': 'Seq Scan',
      'Relation Name': 'posts',
      'Actual Rows': 3,
      'Actual Loops': 2,
      'Rows Removed by Filter': 97,
    };
    const index = { 'Node Type': 'Index Scan', 'Relation Name': 'users', 'Actual Rows': 1, 'Actual Loops': 6 };
    const plan = {
      'Node Type': 'Limit',
      'Actual Rows': 6,
      'Plans': [{ 'Node Type': 'Nested Loop', 'Plans': [scan, index] }],
    };
    expect(planFacts(plan, { posts: 5_000 })).toEqual({
      scans: [{ table: 'posts', rows: 5_000 }],
      limited: true,
      looked: 206,
      returned: 6,
    });
    expect(planFacts({ 'Node Type': 'Result' }, {})).toEqual({
      scans: [],
      limited: false,
      looked: null,
      returned: null,
    });
  });
});

describe('what is kept of what was sent', () => {
  test('of a parameter its kind', () => {
    const values = [
      null,
      'secret',
      '01a2162d-41af-7122-9b24-51b2aa01f54e',
      7,
      true,
      new Date(0),
      ['a', 'b'],
      { a: 1 },
      Buffer.from('x'),
    ];
    expect(values.map(parameterKind)).toEqual([
      'null',
      'text',
      'uuid',
      'number',
      'boolean',
      'instant',
      'list of 2',
      'JSON',
      'bytes',
    ]);
  });

  test.each([
    [
      '/v1/posts/01a2162d-41af-7122-9b24-51b2aa01f54e',
      '/v1/posts/{post}',
      '/v1/posts/01a2162d-41af-7122-9b24-51b2aa01f54e',
    ],
    [
      '/v1/users/@bram/posts?limit=20&after=eyJhbGciOi',
      '/v1/users/{user}/posts',
      '/v1/users/@bram/posts?limit=20&after=•',
    ],
    ['/v1/password-resets/kJ8xQ-2b_Zz', '/v1/password-resets/{token}', '/v1/password-resets/•'],
    ['/v1/users?q=ann@home.example&x%20=1', '/v1/users', '/v1/users?q=•&•=1'],
    ['/elsewhere/so%20it', '', '/elsewhere/•'],
  ])('of %s what is an id, a handle or a word', (path, route, kept) => {
    expect(maskedPath(path, route)).toBe(kept);
  });
});

describe('the trace context of W3C', () => {
  const [trace, parent] = ['0af7651916cd43dd8448eb211c80319c', 'b7ad6b7169203331'];

  test('is read and written', () => {
    expect(readTraceparent(`00-${trace}-${parent}-01`)).toEqual({ traceId: trace, parentId: parent, flags: '01' });
    expect(readTraceparent(writeTraceparent(trace, parent))?.traceId).toBe(trace);
    expect(readTraceparent(`cc-${trace}-${parent}-01-what-comes-later`)?.parentId).toBe(parent);
  });

  test.each([
    undefined,
    '',
    'nonsense',
    `ff-${trace}-${parent}-01`,
    `00-${trace}-${parent}-01-more`,
    `00-${'0'.repeat(32)}-${parent}-01`,
    `00-${trace}-${'0'.repeat(16)}-01`,
    `00-${trace.toUpperCase()}-${parent}-01`,
  ])('is begun anew where %s came', (header) => {
    expect(readTraceparent(header)).toBeNull();
  });
});
