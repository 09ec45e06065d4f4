import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import type { Writable } from 'node:stream';
import { expect, test } from '@jest/globals';
import { isAlive } from './keeper.js';

async function until(met: () => boolean): Promise<void> {
  while (!met()) await new Promise(setImmediate);
}

test('a process that ended is not alive, though its parent never asks how it did', async () => {
  // The shell becomes a program that knows nothing of its child, which ends once that has happened.
  const script = 'cat <&3 >&2 & echo $!; exec tail -f /dev/null 3<&-';
  const parent = spawn('sh', ['-c', script], { stdio: ['ignore', 'pipe', 'inherit', 'pipe'] });
  try {
    const [said] = (await once(parent.stdout!, 'data')) as [Buffer];
    const pid = Number(said);
    await until(() => readFileSync(`/proc/${parent.pid}/comm`, 'utf8') === 'tail\n');
    (parent.stdio[3] as Writable).end();
    await until(() => / Z /.test(readFileSync(`/proc/${pid}/stat`, 'utf8')));
    expect(process.kill(pid, 0)).toBe(true);
    expect(isAlive(pid)).toBe(false);
    expect(isAlive(parent.pid!)).toBe(true);
  } finally {
    parent.kill('SIGKILL');
    await once(parent, 'exit');
  }
  expect(isAlive(parent.pid!)).toBe(false);
});
