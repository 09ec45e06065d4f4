import type { Job, Running } from '../ground/capability/capability.js';

/** Everything that a running service does now and then, in the order of its capabilities. */
export const jobsOf = (running: readonly Running[]): Job[] => running.flatMap(({ jobs }) => jobs ?? []);

const EVERY_MS = 3_600_000;
const everyMs = ({ everySeconds }: Job): number => (everySeconds ? everySeconds * 1000 : EVERY_MS);
/** What was interrupted by the end of the service before is gone on with soon after the start. */
const FIRST_AFTER_MS = 5_000;

/**
 * Runs the jobs soon and then every hour, or as often as each says; one at a time. One that fails is reported and tried again the next time.
 * @returns a function that stops it, once what is under way is done
 */
export function runJobs(jobs: readonly Job[], failed: (error: unknown) => void): () => Promise<void> {
  let running = Promise.resolve();
  const stopping = new AbortController();
  const { signal } = stopping;
  const round = async (due: readonly Job[]) => {
    for (const job of due) if (!signal.aborted) await job.run(signal).catch(failed);
  };
  const begin = (due: readonly Job[]) => (running = running.then(() => round(due)));
  const first = setTimeout(() => void begin(jobs), FIRST_AFTER_MS);
  const intervals = [...new Set(jobs.map(everyMs))];
  const timers = intervals.map((ms) => setInterval(() => void begin(jobs.filter((job) => everyMs(job) === ms)), ms));
  for (const each of [first, ...timers]) each.unref();
  return async () => {
    stopping.abort();
    clearTimeout(first);
    for (const timer of timers) clearInterval(timer);
    await running;
  };
}
