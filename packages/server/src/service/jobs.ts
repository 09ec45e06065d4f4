import type { Job, Running } from '../ground/capability/capability.js';

/** Everything that a running service does now and then, in the order of its capabilities. */
export const jobsOf = (running: readonly Running[]): Job[] => running.flatMap(({ jobs }) => jobs ?? []);

const EVERY_MS = 3_600_000;
/** What was interrupted by the end of the service before is gone on with soon after the start. */
const FIRST_AFTER_MS = 5_000;

/**
 * Runs the jobs soon and then every hour. One that fails is reported and tried again the next time.
 * @returns a function that stops it, once what is under way is done
 */
export function runJobs(jobs: readonly Job[], failed: (error: unknown) => void): () => Promise<void> {
  let [running, ended] = [Promise.resolve(), false];
  const round = async () => {
    for (const job of jobs) if (!ended) await job.run().catch(failed);
  };
  const begin = () => (running = running.then(round));
  const first = setTimeout(() => void begin(), FIRST_AFTER_MS);
  const timer = setInterval(() => void begin(), EVERY_MS);
  for (const each of [first, timer]) each.unref();
  return async () => {
    ended = true;
    clearTimeout(first);
    clearInterval(timer);
    await running;
  };
}
