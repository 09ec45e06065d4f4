// Loaded into the service (`--expose-gc --import`): writes what it holds once nothing is left to be collected, in kilobytes.
import { writeFileSync } from 'node:fs';
import { setInterval } from 'node:timers';

setInterval(() => {
  globalThis.gc();
  const { heapUsed, external } = process.memoryUsage();
  writeFileSync('memory.json', JSON.stringify({ kilobytes: (heapUsed + external) / 1024 }));
}, 500).unref();
