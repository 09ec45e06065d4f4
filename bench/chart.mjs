// Draws what the read benchmarks found: pages a second of each way, and before and now, by how many the viewer follows.
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { root } from '../scripts/steps.mjs';

const PANELS = [
  {
    from: 'read',
    title: 'Feed pages a second over HTTP: 2 million posts, 8 connections',
    ways: [
      ['ours', 'Gather Lane', '#1F6F6B'],
      ['bare', 'bare Fastify + pg, the same SQL', '#7fb0ac'],
      ['careful', 'careful: joins, one statement', '#B8862B'],
      ['naive', 'naive: In, skip and take', '#9a8f7a'],
    ],
  },
  {
    from: 'before',
    title: 'Before and now, in turn',
    ways: [
      ['now', 'now', '#1F6F6B'],
      ['before', 'before a page was one statement', '#9a8f7a'],
    ],
  },
];
const [WIDTH, BAR, GAP, LEFT] = [1180, 20, 22, 190];

/** Reads what the last benchmarks of a size kept, and draws it to docs/screenshots/benchmark.png. */
export async function drawChart(size) {
  let height = 0;
  const kept = (from) => join(root, '.bench', `${from}-${size}.json`);
  const drawn = PANELS.filter(({ from }) => existsSync(kept(from))).map(({ from, title, ways }) => {
    const cells = JSON.parse(readFileSync(kept(from), 'utf8'));
    const top = height;
    const groups = [...new Set(cells.map(({ group }) => group))];
    height += 100 + groups.length * (ways.length * BAR + GAP);
    return `<g transform="translate(0 ${top})">${panel(title, ways, groups, cells)}</g>`;
  });
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${height}" font-family="system-ui, sans-serif" fill="#22302F">
    <rect width="100%" height="100%" fill="#FAF8F3"/>${drawn.join('')}</svg>`;
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium-headless-shell',
    args: ['--headless', '--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage({ viewport: { width: WIDTH, height } });
  await page.setContent(`<body style="margin:0">${svg}</body>`);
  await page.screenshot({ path: join(root, 'docs/screenshots/benchmark.png') });
  await browser.close();
}

/** Bars of each way for each group, all on one scale: geometric means over both orders and all pages. */
function panel(title, ways, groups, cells) {
  const mean = (list) => Math.exp(list.reduce((sum, x) => sum + Math.log(x), 0) / list.length);
  const rates = (group) =>
    ways.map(([way]) => mean(cells.filter((cell) => cell.group === group).map((cell) => cell[way])));
  const found = groups.map((group) => ({ group, rates: rates(group) }));
  const scale = (WIDTH - LEFT - 190) / Math.max(...found.flatMap(({ rates }) => rates));
  const bars = found.flatMap(({ group, rates }, g) => {
    const top = 90 + g * (ways.length * BAR + GAP);
    const label = `<text x="${LEFT - 16}" y="${top + (ways.length * BAR) / 2 + 4}" text-anchor="end" font-weight="600">${group === 'random' ? 'random viewers' : `${Number(group).toLocaleString('en-GB')} follows`}</text>`;
    return [
      label,
      ...rates.map((rate, w) => {
        const y = top + w * BAR;
        return `<rect x="${LEFT}" y="${y}" width="${Math.max(1, rate * scale)}" height="${BAR - 4}" rx="3" fill="${ways[w][2]}"/><text x="${LEFT + rate * scale + 8}" y="${y + 12}" font-size="13">${rate.toFixed(rate < 10 ? 1 : 0)}</text>`;
      }),
    ];
  });
  const legend = ways.map(
    ([, name, colour], i) =>
      `<rect x="${LEFT + i * 246}" y="54" width="12" height="12" rx="3" fill="${colour}"/><text x="${LEFT + i * 246 + 18}" y="65" font-size="13">${name}</text>`,
  );
  return `<text x="24" y="34" font-size="20" font-weight="650">${title}</text>${legend.join('')}${bars.join('')}`;
}
