// npm run bench [-- read] [-- --large]: each benchmark prints tables and a ratio; the bounds are those of the design. The word
// `chart` draws what the read benchmark found. `growth --huge` goes on to ten million posts. `--before=FOLDER` names a built checkout of
// another state, against which `readBefore` and `writeBefore` measure this one;
// `--node=PATH` another Node to run the service with.
import { resolve } from 'node:path';
import { build, needNode, needPackages, needPostgres } from '../scripts/steps.mjs';

needNode();
needPostgres();
needPackages();
build();
const words = process.argv.slice(2).filter((word) => !word.startsWith('--'));
const size = ['huge', 'large'].find((name) => process.argv.includes(`--${name}`)) ?? 'small';
const before = process.argv.find((word) => word.startsWith('--before='))?.slice('--before='.length);
const node = process.argv.find((word) => word.startsWith('--node='))?.slice('--node='.length);
if (node !== undefined) process.env.BENCH_NODE = resolve(node);
const names = words.filter((word) => word !== 'chart');

/** What each is held to: at least, or at most. */
const BENCHMARKS = {
  fill: { least: 0.8, run: async () => (await import('./fill.mjs')).benchFill(size) },
  import: { most: 1.3, run: async () => (await import('./transfer.mjs')).benchTransfer(size) },
  read: {
    least: { naive: 25, careful: 2, bare: 0.8, pgbench: 0.5 },
    most: { page40: 1.2 },
    run: async () => (await import('./read.mjs')).benchRead(size),
  },
  ...(before !== undefined && {
    readBefore: {
      least: { pages: 2, worstPages: 1.5 },
      most: { node: 0.55, postgres: 0.5 },
      run: async () => (await import('./before.mjs')).benchReadBefore(size, resolve(before)),
    },
    writeBefore: {
      least: {
        comments1: 0.95,
        comments32: 5,
        comments128: 5,
        posts1: 0.95,
        posts32: 1.5,
        posts128: 1.5,
        follows1: 0.95,
        follows32: 1.5,
        follows128: 1.5,
        reactions1: 0.95,
      },
      run: async () => (await import('./before.mjs')).benchWriteBefore(size, resolve(before)),
    },
  }),
  // Another Node is to be no step back that shows.
  ...(node !== undefined && {
    nodes: { least: 0.85, run: async () => (await import('./nodes.mjs')).benchNodes(size, resolve(node)) },
  }),
  growth: { most: 1.25, run: async () => (await import('./growth.mjs')).benchGrowth(size) },
  write: { least: 3, run: async () => (await import('./write.mjs')).benchWrite(size) },
  rebuild: { most: 1.5, run: async () => (await import('./rebuild.mjs')).benchRebuild(size) },
  // Kilobytes on large data: half of what a post took before.
  log: {
    most: { cold: 13.9, warm: 5 },
    run: async () => (await import('./log.mjs')).benchLog(size),
  },
  // Seconds, on large data.
  trials: {
    most: { trialMedian: 1, trialHeaviest: 2, trialSample: 2 },
    run: async () => (await import('./trials.mjs')).benchTrials(size),
  },
  hashtags: {
    most: { againstJoin: 1.25, milliseconds: 10 },
    run: async () => (await import('./hashtags.mjs')).benchHashtags(size),
  },
  threads: { most: { of21: 3, of101: 5 }, run: async () => (await import('./threads.mjs')).benchThreads() },
  // A million texts within five minutes.
  reading: {
    least: { textsASecond: 1_000_000 / 300 },
    most: { milliseconds: 5, growth: 6 },
    run: async () => (await import('./reading.mjs')).benchReading(),
  },
  notifications: {
    least: { onePost: 0.7, oneAuthor: 0.65 },
    most: { oneCaller: 1.3, watched: 1.5, heldUpMs: 100, followed: 1.2, countMs: 1 },
    run: async () => (await import('./notifications.mjs')).benchNotifications(size),
  },
  streams: {
    most: { kilobytes: 30, delayMs: 250 },
    run: async () => (await import('./streams.mjs')).benchStreams(size),
  },
  traces: {
    least: { on: 0.85 },
    run: async () => (await import('./traces.mjs')).benchTraces(size),
  },
  start: {
    most: { versionMs: 120, feedMs: 300, readySeconds: 1.5 },
    run: async () => (await import('./start.mjs')).benchStart(size),
  },
  steady: { most: { residentMb: 200, steady: 1.1 }, run: async () => (await import('./steady.mjs')).benchSteady(size) },
};

const wrong = names.find((name) => !(name in BENCHMARKS));
if (wrong !== undefined) {
  console.error(`There is no benchmark "${wrong}": there are ${Object.keys(BENCHMARKS).join(', ')}.`);
  process.exit(2);
}
let missed = 0;
for (const [name, { least, most, run }] of Object.entries(BENCHMARKS)) {
  if (words.length > 0 && !names.includes(name)) continue;
  const found = await run();
  const ratios = typeof found === 'number' ? { [name]: found } : found;
  const bound = (bounds, key) => (typeof bounds === 'number' ? bounds : bounds?.[key]);
  console.log();
  for (const [key, ratio] of Object.entries(ratios)) {
    const [low, high] = [bound(least, key), bound(most, key)];
    const held = low !== undefined ? ratio >= low : ratio <= high;
    if (!held) missed++;
    const limit = low !== undefined ? `at least ${low.toFixed(2)}` : `at most ${high.toFixed(2)}`;
    console.log(`${key}: ${ratio.toFixed(2)}, to be ${limit}: ${held ? 'held' : 'NOT held'}`);
  }
}
if (words.includes('chart')) await (await import('./chart.mjs')).drawChart(size);
if (missed > 0) {
  console.error(`\n${missed === 1 ? 'One bound was' : `${missed} bounds were`} not held.`);
  process.exitCode = 1;
}
