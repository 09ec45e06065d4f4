// Ten times the posts at the same follow counts, or five times with --huge: the statement that finds a page, in the database
// alone.
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { LAST, openData } from './data.mjs';
import { percentiles } from './load.mjs';
import { printTable } from './table.mjs';

const ROUNDS = 20;
const ORDERS = ['recent', 'score'];
const COMPARED = { small: ['small', 'medium'], large: ['medium', 'large'], huge: ['large', 'huge'] };

/** @returns the mean of the times that the larger takes, in times of the smaller */
export async function benchGrowth(size) {
  const sizes = COMPARED[size];
  const found = [];
  for (const each of sizes) found.push(await times(each));
  const cells = [...found[0].keys()].filter((cell) => found[1].has(cell));
  const ratio = (cell) => found[1].get(cell) / found[0].get(cell);
  printTable(
    `Milliseconds in the database for the first page, ${sizes.join(' and ')}`,
    ['follows, order', ...sizes, 'ratio'],
    cells.map((cell) => [cell, ...found.map((map) => map.get(cell).toFixed(2)), ratio(cell).toFixed(2)]),
  );
  return Math.exp(cells.reduce((sum, cell) => sum + Math.log(ratio(cell)), 0) / cells.length);
}

async function times(size) {
  const dist = (path) => import(join(root, 'packages/server/dist', path));
  const [{ feedPage }, { parametersOf }, { Ways }, { readSieve, Sieves }] = await Promise.all(
    ['feed/page-queries.js', 'feed/finding.js', 'feed/ways.js', 'feed/sieves.js'].map(dist),
  );
  const page = feedPage([]);
  const data = await openData(size);
  const ways = new Ways(new Sieves(readSieve(data.dataSource)));
  try {
    const [{ id: weighting }] = await data.dataSource.query(`SELECT id FROM weightings WHERE in_force`);
    const cells = new Map();
    for (const [group, members] of Object.entries(data.viewers))
      for (const order of ORDERS) {
        if (group === 'random') continue;
        const spent = [];
        for (let round = 0; round < ROUNDS; round++)
          for (const { id } of members) {
            const started = performance.now();
            const parameters = [id, true, ...LAST, 21, null, null, null];
            await ways.find({ userId: id, order, from: null, entries: 21 }, (step) =>
              data.dataSource.query(page(step.way, order, order === 'score' ? weighting : 1, false), [
                ...parameters,
                ...parametersOf(step),
              ]),
            );
            if (round > 1) spent.push(performance.now() - started);
          }
        cells.set(`${group}, ${order}`, percentiles(spent).p50);
      }
    return cells;
  } finally {
    await data.close();
  }
}
