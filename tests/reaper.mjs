// Ends the tests' PostgreSQL when the tests are ended in a way that leaves them no time to: beside them in a process of its
// own, it waits until the pipe between them closes.
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';

const [folder, cluster] = process.argv.slice(2);
// What ends the tests may be sent to their whole group; this one ends by the pipe.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => undefined);
process.stdin.resume();
process.stdin.on('close', () => {
  const pid = postmaster();
  if (pid !== null) {
    process.kill(pid, 'SIGQUIT');
    waitFor(pid);
  }
  rmSync(folder, { recursive: true, force: true });
});

function postmaster() {
  try {
    return Number(readFileSync(join(cluster, 'postmaster.pid'), 'utf8').split('\n')[0]);
  } catch {
    return null;
  }
}

function waitFor(pid) {
  const until = Date.now() + 10_000;
  while (Date.now() < until) {
    try {
      process.kill(pid, 0);
    } catch {
      return;
    }
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 50);
  }
}
