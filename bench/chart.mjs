// Draws what the read benchmark found: pages a second of each way, by how many the viewer follows.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { root } from '../scripts/steps.mjs';

const WAYS = [
  ['ours', 'Gather Lane', '#1F6F6B'],
  ['bare', 'bare Fastify + pg, the same SQL', '#7fb0ac'],
  ['careful', 'careful: joins, one statement', '#B8862B'],
  ['naive', 'naive: In, skip and take', '#9a8f7a'],
];
const [WIDTH, BAR, GAP, LEFT] = [1180, 22, 34, 190];

/** Reads what the last read benchmark of a size kept, and draws it to docs/screenshots/benchmark.png. */
export async function drawChart(size) {
  const cells = JSON.parse(readFileSync(join(root, '.bench', `read-${size}.json`), 'utf8'));
  const groups = [...new Set(cells.map(({ group }) => group))];
  const mean = (list) => Math.exp(list.reduce((sum, x) => sum + Math.log(x), 0) / list.length);
  const found = groups.map((group) => ({
    group,
    rates: WAYS.map(([way]) => mean(cells.filter((cell) => cell.group === group).map((cell) => cell[way]))),
  }));
  const most = Math.max(...found.flatMap(({ rates }) => rates));
  const height = 110 + found.length * (WAYS.length * BAR + GAP);
  const scale = (WIDTH - LEFT - 190) / most;
  const bars = found.flatMap(({ group, rates }, g) => {
    const top = 96 + g * (WAYS.length * BAR + GAP);
    const label = `<text x="${LEFT - 16}" y="${top + (WAYS.length * BAR) / 2 + 5}" text-anchor="end" font-weight="600">${group === 'random' ? 'random viewers' : `${Number(group).toLocaleString('en-GB')} follows`}</text>`;
    return [
      label,
      ...rates.map((rate, w) => {
        const y = top + w * BAR;
        return `<rect x="${LEFT}" y="${y}" width="${Math.max(1, rate * scale)}" height="${BAR - 4}" rx="3" fill="${WAYS[w][2]}"/><text x="${LEFT + rate * scale + 8}" y="${y + 13}" font-size="13">${rate.toFixed(rate < 10 ? 1 : 0)}</text>`;
      }),
    ];
  });
  const legend = WAYS.map(
    ([, name, colour], i) =>
      `<rect x="${LEFT + i * 246}" y="54" width="12" height="12" rx="3" fill="${colour}"/><text x="${LEFT + i * 246 + 18}" y="65" font-size="13">${name}</text>`,
  );
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${height}" font-family="system-ui, sans-serif" fill="#22302F">
    <rect width="100%" height="100%" fill="#FAF8F3"/>
    <text x="24" y="34" font-size="20" font-weight="650">Feed pages a second over HTTP: 2 million posts, 8 connections</text>
    ${legend.join('')}${bars.join('')}</svg>`;
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--headless', '--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage({ viewport: { width: WIDTH, height } });
  await page.setContent(`<body style="margin:0">${svg}</body>`);
  await page.screenshot({ path: join(root, 'docs/screenshots/benchmark.png') });
  await browser.close();
}
