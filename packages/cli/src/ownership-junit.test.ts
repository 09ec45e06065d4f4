import { describe, expect, test } from '@jest/globals';
import type { OwnershipCheck } from '@gather-lane/client';
import { ownershipAsJUnit } from './ownership-junit.js';

type Cell = OwnershipCheck['routes'][number]['cells'][number];
const cell = (role: Cell['role'], more: Partial<Cell> = {}): Cell => ({
  role,
  expected: 'not-yours',
  status: 403,
  problem: 'not-yours',
  kept: true,
  says: null,
  fault: false,
  ...more,
});

const check: OwnershipCheck = {
  startedAt: '2026-05-30T10:00:00.000Z',
  endedAt: '2026-05-30T10:00:02.500Z',
  calls: 3,
  faults: 2,
  routes: [
    {
      operationId: 'editPost',
      method: 'PATCH',
      path: '/v1/posts/{post}',
      rule: 'signed-in',
      faults: ['declares "signed-in" & more'],
      cells: [
        cell('another', { fault: true, says: 'let them in with 200 <instead>', status: 200 }),
        cell('nobody'),
        cell('operator', { status: null, says: 'not tried' }),
      ],
    },
  ],
};

describe('the ownership check as JUnit XML', () => {
  const xml = ownershipAsJUnit(check);

  test('counts its cases, failures and seconds', () => {
    expect(xml).toContain('<testsuites name="ownership" tests="4" failures="2" skipped="1" time="2.5">');
    expect(xml).toContain('<testsuite name="PATCH /v1/posts/{post}" tests="4" failures="2" skipped="1">');
  });

  test('has a case for each role and one for the route, with what was wrong, escaped', () => {
    expect(xml).toContain('<testcase classname="editPost" name="nobody"/>');
    expect(xml).toContain('<testcase classname="editPost" name="operator"><skipped/></testcase>');
    expect(xml).toContain('<failure message="let them in with 200 &lt;instead&gt;"/>');
    expect(xml).toContain('<failure message="declares &quot;signed-in&quot; &amp; more"/>');
  });
});
