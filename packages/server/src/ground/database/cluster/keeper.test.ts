import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { isAlive } from './keeper.js';

test('a process that ended is not alive, though its parent never asks how it did', async () => {
  // The shell becomes a program that knows nothing of the child it has.
  const parent = spawn('sh', ['-c', 'read line & echo $!; exec tail -f /dev/null'], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const [said] = (await once(parent.stdout!, 'data')) as [Buffer];
    const pid = Number(said);
    while (!/\) Z /.test(readFileSync(`/proc/${pid}/stat`, 'utf8'))) await new Promise(setImmediate);
    expect(process.kill(pid, 0)).toBe(true);
    expect(isAlive(pid)).toBe(false);
    expect(isAlive(parent.pid!)).toBe(true);
  } finally {
    parent.kill('SIGKILL');
    await once(parent, 'exit');
  }
  expect(isAlive(parent.pid!)).toBe(false);
});
