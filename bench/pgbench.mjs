// Pages over HTTP against pgbench, which sends the same SQL and throws the rows away.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { LAST } from './data.mjs';
import { median } from './load.mjs';
import { printTable } from './table.mjs';

const CONNECTIONS = 8;
const SECONDS = 4;
const ROUNDS = 3;
const ORDERS = ['recent', 'score'];

const dist = (path) => import(join(root, 'packages/server/dist', path));

/**
 * First pages of random viewers, in turn with pgbench, since the machine is not the same from one minute to the next.
 * @param pagesOverHttp measures the service for some seconds
 * @returns pages over HTTP as a share of what pgbench reaches with the statement of a page
 */
export async function againstPgbench({ dataSource, viewers, address }, pagesOverHttp) {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-pgbench-'));
  const scripts = { finding: [], whole: [] };
  for (const [i, { id }] of viewers.random.entries())
    for (const order of ORDERS) {
      const [find, page] = await statementsOf(dataSource, id, order);
      const write = (kind, statements) => {
        const file = join(folder, `${kind}-${order}-${i}.sql`);
        writeFileSync(file, statements.map((sql) => `${sql};\n`).join(''));
        scripts[kind].push(file);
      };
      write('finding', [find]);
      write('whole', [page]);
    }
  const [finding, whole, pages] = [[], [], []];
  for (let round = 0; round < ROUNDS; round++) {
    finding.push(run(address, scripts.finding));
    whole.push(run(address, scripts.whole));
    pages.push(await pagesOverHttp());
  }
  rmSync(folder, { recursive: true });
  const ours = median(pages);
  printTable(
    'Against pgbench, first pages of random viewers',
    ['way', 'a second', 'over HTTP, of it'],
    [
      ['pgbench, the statement that finds the page alone', finding],
      ['pgbench, the whole statement of a page', whole],
      ['whole pages over HTTP', pages],
    ].map(([way, rates]) => [way, Math.round(median(rates)), (ours / median(rates)).toFixed(2)]),
  );
  return ours / median(whole);
}

/** The statements of a first page with their parameters put in: which posts alone, and the page, which looks at the session too. */
async function statementsOf(dataSource, viewer, order) {
  const [{ find, parametersOf }, { feedPage }, { Ways }] = await Promise.all(
    ['feed/finding.js', 'feed/page-queries.js', 'feed/ways.js'].map(dist),
  );
  const [{ id: weighting }] = await dataSource.query(`SELECT id FROM weightings WHERE in_force`);
  const page = (way) => feedPage([])(way, order, order === 'score' ? weighting : 1, false);
  // The way by which the service would read it, once it knows the feed.
  const [ways, sought] = [new Ways(), { userId: viewer, order, from: null, entries: 21 }];
  let step;
  for (let i = 0; i < 3; i++)
    await ways.find(sought, (tried) => {
      step = tried;
      return dataSource.query(page(step.way), [viewer, true, ...LAST, 21, null, null, null, ...parametersOf(step)]);
    });
  const [{ id: session }] = await dataSource.query(`SELECT id FROM sessions WHERE user_id = $1 LIMIT 1`, [viewer]);
  const fill = (sql, values) =>
    sql
      .replace(/\$(\d)/g, (_, n) => values[n - 1])
      // A colon begins a variable of pgbench's, in quotes too.
      .replaceAll('"seen:', '"seen ')
      .replace(/\s+/g, ' ')
      .trim();
  const quoted = (value) => `'${value}'`;
  const [{ id: key }] = await dataSource.query(`SELECT id FROM signing_keys LIMIT 1`);
  const asked = [session, key, ...parametersOf(step)].map(quoted);
  const values = [`'${viewer}'::uuid`, 'true', ...LAST.map(quoted), '21', 'NULL', ...asked];
  return [fill(find(step.way, order, order === 'score' ? weighting : 1), values), fill(page(step.way), values)];
}

/** Transactions a second of one of the scripts after another. */
function run({ host, port, user, password, database }, files) {
  const version = readdirSync('/usr/lib/postgresql').sort().at(-1);
  const options = ['-n', '-T', SECONDS, '-c', CONNECTIONS, '-j', 2, '-M', 'prepared'];
  const out = execFileSync(
    `/usr/lib/postgresql/${version}/bin/pgbench`,
    ['-h', host, '-p', port, '-U', user, ...options, ...files.flatMap((file) => ['-f', file]), database].map(String),
    { encoding: 'utf8', env: { ...process.env, PGPASSWORD: password } },
  );
  return Number(/tps = ([\d.]+)/.exec(out)[1]);
}
