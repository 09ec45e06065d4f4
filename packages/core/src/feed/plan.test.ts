import { expect, test } from '@jest/globals';
import { allSteps, readPlan } from './plan.js';

test('a plan is read with the work of all loops, and what was not needed as such', () => {
  const step = readPlan({
    'Node Type': 'Nested Loop',
    'Actual Rows': 3,
    'Actual Loops': 1,
    'Actual Total Time': 0.5,
    'Shared Hit Blocks': 12,
    'Plans': [
      { 'Node Type': 'CTE Scan', 'CTE Name': 'heads', 'Subplan Name': 'CTE heads', 'Actual Loops': 0 },
      {
        'Node Type': 'Index Scan',
        'Relation Name': 'posts',
        'Index Name': 'posts_recent',
        'Actual Rows': 1.5,
        'Actual Loops': 2,
        'Actual Total Time': 0.1004,
        'Rows Removed by Filter': 4,
        'Shared Hit Blocks': 3,
        'Shared Read Blocks': 2,
      },
    ],
  });
  expect(
    allSteps(step).map(({ does, part, loops, rows, removed, ms, blocks }) => [
      does,
      part,
      loops,
      rows,
      removed,
      ms,
      blocks,
    ]),
  ).toEqual([
    ['Nested Loop', null, 1, 3, 0, 0.5, 12],
    ['CTE Scan on heads', 'heads', 0, 0, 0, 0, 0],
    ['Index Scan on posts_recent', null, 2, 3, 8, 0.201, 5],
  ]);
});
