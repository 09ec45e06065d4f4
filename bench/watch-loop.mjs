// Loaded into a service under load: writes the delay of its event loop to a file beside its configuration.
import { writeFileSync } from 'node:fs';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { setInterval } from 'node:timers';

const delay = monitorEventLoopDelay({ resolution: 10 });
delay.enable();
setInterval(() => {
  const ms = (ns) => ns / 1e6 - 10;
  writeFileSync('loop.json', JSON.stringify({ p99: ms(delay.percentile(99)), max: ms(delay.max) }));
  delay.reset();
}, 2_000).unref();
