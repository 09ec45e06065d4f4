/** A case of a suite: what was tried, and what was wrong with it. */
export interface JUnitCase {
  readonly group: string;
  readonly name: string;
  readonly faults: readonly string[];
  readonly skipped?: boolean;
  readonly seconds?: number;
}

/** Cases that belong together. */
export interface JUnitSuite {
  readonly name: string;
  readonly cases: readonly JUnitCase[];
}

const ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
/** What XML cannot hold at all is left out. */
const escape = (text: string): string =>
  text
    .replace(/[^\t\n\r\u{20}-\u{D7FF}\u{E000}-\u{FFFD}\u{10000}-\u{10FFFF}]/gu, '')
    .replace(/[&<>"]/g, (character) => ESCAPES[character]!);

/** Results as JUnit XML, for a pipeline. @param seconds how long all of it took */
export function toJUnit(name: string, suites: readonly JUnitSuite[], seconds: number): string {
  const cases = suites.flatMap((suite) => suite.cases);
  const written = suites.map(
    (suite) =>
      `  <testsuite name="${escape(suite.name)}" ${counts(suite.cases)}>\n${suite.cases.map(writeCase).join('\n')}\n  </testsuite>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="${escape(name)}" ${counts(cases)} time="${seconds}">\n${written.join('\n')}\n</testsuites>\n`;
}

function counts(cases: readonly JUnitCase[]): string {
  const failed = cases.filter(({ faults }) => faults.length > 0).length;
  const skipped = cases.filter((each) => each.skipped).length;
  return `tests="${cases.length}" failures="${failed}" skipped="${skipped}"`;
}

function writeCase({ group, name, faults, skipped, seconds }: JUnitCase): string {
  const time = seconds === undefined ? '' : ` time="${seconds}"`;
  const head = `    <testcase classname="${escape(group)}" name="${escape(name)}"${time}`;
  if (skipped) return `${head}><skipped/></testcase>`;
  if (faults.length === 0) return `${head}/>`;
  return `${head}>${faults.map((fault) => `<failure message="${escape(fault)}"/>`).join('')}</testcase>`;
}
