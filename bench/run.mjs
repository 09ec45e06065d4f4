// npm run bench [-- fill] [-- --large]: each benchmark prints a table and a ratio; the bounds are those of the design.
import { build, needNode, needPackages, needPostgres } from '../scripts/steps.mjs';

needNode();
needPostgres();
needPackages();
build();
const names = process.argv.slice(2).filter((word) => !word.startsWith('--'));
const size = process.argv.includes('--large') ? 'large' : 'small';
const BENCHMARKS = { fill: { bound: 1 / 3, run: async () => (await import('./fill.mjs')).benchFill(size) } };
for (const [name, { bound, run }] of Object.entries(BENCHMARKS)) {
  if (names.length > 0 && !names.includes(name)) continue;
  const ratio = await run();
  console.log(
    `\n${name}: ${ratio.toFixed(2)}, to be at least ${bound.toFixed(2)}: ${ratio >= bound ? 'held' : 'NOT held'}`,
  );
}
