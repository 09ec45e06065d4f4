import type { OwnershipCheck } from '@gather-lane/client';

const ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
const escape = (text: string): string => text.replace(/[&<>"]/g, (character) => ESCAPES[character]!);

/** The result as JUnit XML: a suite for each route, a case for each role, and one for the route as a whole. */
export function toJUnit({ routes, faults, startedAt, endedAt }: OwnershipCheck): string {
  const seconds = (Date.parse(endedAt) - Date.parse(startedAt)) / 1000;
  const suites = routes.map(({ operationId, method, path, cells, faults: wrong }) => {
    const cases = [
      caseOf(operationId, 'the route as a whole', wrong, false),
      ...cells.map(({ role, status, fault, says }) =>
        caseOf(operationId, role, fault ? [says ?? ''] : [], status === null),
      ),
    ];
    const failures = wrong.length > 0 ? 1 : 0;
    const skipped = cells.filter(({ status }) => status === null).length;
    return `  <testsuite name="${escape(`${method} ${path}`)}" tests="${cases.length}" failures="${failures + cells.filter(({ fault }) => fault).length}" skipped="${skipped}">\n${cases.join('\n')}\n  </testsuite>`;
  });
  const tests = routes.reduce((sum, { cells }) => sum + cells.length + 1, 0);
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="ownership" tests="${tests}" failures="${faults}" time="${seconds}">\n${suites.join('\n')}\n</testsuites>\n`;
}

function caseOf(operation: string, name: string, faults: readonly string[], skipped: boolean): string {
  const head = `    <testcase classname="${escape(operation)}" name="${escape(name)}"`;
  if (skipped) return `${head}><skipped/></testcase>`;
  if (faults.length === 0) return `${head}/>`;
  return `${head}>${faults.map((fault) => `<failure message="${escape(fault)}"/>`).join('')}</testcase>`;
}
