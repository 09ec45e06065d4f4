// How long a text takes to be read at worst, how that grows with its length, and how many texts a second are read anew.
import { join } from 'node:path';
import { readText } from '@gather-lane/core';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { printTable } from './table.mjs';

const POINTS = 4_000;
const TIMES = 4;
const ROUNDS = 9;

/** Texts that are made to be slow: each to be repeated. */
const SHAPES = {
  'hash signs': '#',
  'open links': 'http://x/(',
  'schemes': 'http://',
  'quoted links': 'http://x/"',
  'dotted links': 'http://x.example/....',
  'handles': '@a',
  'mentions': '@bram ',
  'hashtags': '#abc ',
  'accents': '#x\u0301\u0301\u0301\u0301\u0301\u0301',
  'marks after letters': `e${'\u0301'.repeat(40)}#`,
  'joiners': '#a\u200D',
  'families': '👨‍👩‍👧#',
  'Han': '東#京',
};

const text = (shape, points) => [...shape.repeat(Math.ceil(points / [...shape].length))].slice(0, points).join('');
const median = (values) => values.sort((a, b) => a - b)[values.length >> 1];

function times(shape, points) {
  const body = text(shape, points);
  return median(
    Array.from({ length: ROUNDS }, () => {
      const started = performance.now();
      readText(body);
      return performance.now() - started;
    }),
  );
}

/** @returns the most milliseconds for 4,000 code points, the worst growth at four times the length, and texts a second */
export async function benchReading() {
  const rows = Object.entries(SHAPES).map(([name, shape]) => {
    times(shape, POINTS);
    const [short, long] = [times(shape, POINTS), times(shape, TIMES * POINTS)];
    return [name, short, long];
  });
  printTable(
    `Milliseconds to read a text of ${POINTS.toLocaleString('en-GB')} code points, and of ${TIMES} times as many`,
    ['repeated', 'ms', `${TIMES}×`, 'times'],
    rows.map(([name, short, long]) => [name, short.toFixed(2), long.toFixed(2), (long / short).toFixed(1)]),
  );
  return {
    milliseconds: Math.max(...rows.map(([, short]) => short)),
    // Below a tenth of a millisecond a ratio says nothing.
    growth: Math.max(...rows.map(([, short, long]) => long / Math.max(short, 0.1))),
    textsASecond: await textsASecond(),
  };
}

/** Reads all posts and comments of the data anew, with the triggers that keep what they name. */
async function textsASecond() {
  const { readAnew } = await import(join(root, 'packages/server/dist/posts/reading/back-fill.js'));
  const data = await openData('small');
  try {
    await data.dataSource.query(`UPDATE posts SET reading = 1`);
    await data.dataSource.query(`UPDATE comments SET reading = 1`);
    await data.dataSource.query(`VACUUM (ANALYZE) posts, comments`);
    const started = performance.now();
    const read = await readAnew(data.dataSource);
    const rate = read / ((performance.now() - started) / 1000);
    console.log(
      `\n${read.toLocaleString('en-GB')} texts read anew, ${Math.round(rate).toLocaleString('en-GB')} a second`,
    );
    return rate;
  } finally {
    await data.close();
  }
}
