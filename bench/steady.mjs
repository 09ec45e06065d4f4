// Ten minutes of mixed load, nineteen reads for each write: memory and the delay of the event loop.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from '../scripts/steps.mjs';
import { openData } from './data.mjs';
import { load, mixed } from './load.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

const STRETCHES = 10;
const READS_A_WRITE = 19;

/** @returns the most resident memory, in MB, and that at the end as a ratio of that in the middle */
export async function benchSteady(size) {
  const seconds = size === 'small' ? 6 : 60;
  const data = await openData(size);
  const service = await startService(data.address, ['--import', join(root, 'bench/watch-loop.mjs')]);
  try {
    const posts = await data.dataSource.query(
      `SELECT id FROM posts WHERE deleted_at IS NULL ORDER BY created_at DESC LIMIT 500`,
    );
    const calls = [];
    for (const [i, { id }] of Object.values(data.viewers).flat().entries()) {
      const token = await service.tokenOf(id);
      for (let n = 0; n < READS_A_WRITE; n++)
        calls.push({ path: `/v1/feeds/following?order=${n % 2 ? 'recent' : 'score'}`, token });
      const post = posts[(i * 13) % posts.length].id;
      calls.push({
        method: 'PUT',
        path: `/v1/posts/${post}/reaction`,
        token,
        body: { kind: i % 2 ? 'like' : 'dislike' },
      });
    }
    const list = mixed(calls);
    const resident = () =>
      (Number(readFileSync(`/proc/${service.pid}/statm`, 'utf8').split(' ')[1]) * 4096) / 1_048_576;
    const rows = [];
    for (let stretch = 1; stretch <= STRETCHES; stretch++) {
      const found = await load(service.address, list, { connections: 8, seconds });
      const loop = JSON.parse(readFileSync(join(service.folder, 'loop.json'), 'utf8'));
      rows.push([
        `${(stretch * seconds) / 60} min`,
        Math.round(found.perSecond),
        found.p99.toFixed(1),
        resident().toFixed(0),
        loop.p99.toFixed(1),
        loop.max.toFixed(1),
      ]);
    }
    printTable(
      'Mixed load, 95 % reads, 8 connections',
      ['after', 'calls/s', 'p99 ms', 'resident MB', 'loop delay p99 ms', 'most ms'],
      rows,
    );
    const memory = rows.map((row) => Number(row[3]));
    return { residentMb: Math.max(...memory), steady: memory.at(-1) / memory[Math.floor(STRETCHES / 2) - 1] };
  } finally {
    await service.stop();
    await data.close();
  }
}
