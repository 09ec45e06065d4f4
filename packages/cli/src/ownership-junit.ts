import type { OwnershipCheck } from '@gather-lane/client';
import { toJUnit } from './junit.js';

/** What an ownership check found, as JUnit XML: a suite for each route, a case for each role, and one for the route as a whole. */
export function ownershipAsJUnit({ routes, startedAt, endedAt }: OwnershipCheck): string {
  const suites = routes.map(({ operationId, method, path, cells, faults }) => ({
    name: `${method} ${path}`,
    cases: [
      { group: operationId, name: 'the route as a whole', faults },
      ...cells.map(({ role, status, fault, says }) => ({
        group: operationId,
        name: role,
        faults: fault ? [says ?? ''] : [],
        skipped: status === null,
      })),
    ],
  }));
  return toJUnit('ownership', suites, (Date.parse(endedAt) - Date.parse(startedAt)) / 1000);
}
