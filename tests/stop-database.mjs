import { rmSync } from 'node:fs';

export default async function stopDatabase() {
  const { cluster, folder, reaper } = globalThis.gatherLaneTests;
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
  reaper.stdin.end();
}
