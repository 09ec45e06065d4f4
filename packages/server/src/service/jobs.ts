import type { Services } from './services.js';

/** One thing that is tidied up now and then. */
export interface Chore {
  readonly does: string;
  run(): Promise<unknown>;
}

/** Everything that a running service tidies up, in this order. Each may be run at any time, by any process. */
export const chores = ({
  feed,
  removals,
  deletion,
  refusals,
  sessions,
  resets,
  media,
  repeats,
  identities,
  ownership,
  weighting,
  cursors,
  browserSessions,
}: Services): Chore[] => [
  { does: 'erase deleted accounts', run: () => deletion.erase() },
  { does: 'really delete what cannot be restored any more', run: () => removals.purge() },
  { does: 'forget falls that no scroll can meet', run: () => feed.forgetDrops() },
  { does: 'forget old refused attempts', run: () => refusals.forget() },
  { does: 'forget sessions, keys and attempts of the past', run: () => sessions.forget() },
  { does: 'forget browsers of the operator whose time is over', run: () => browserSessions.forget() },
  { does: 'renew the key of cursors, and forget old ones', run: () => cursors.tidy() },
  { does: 'remove pictures that nothing shows', run: () => media.sweep() },
  { does: 'forget keys of repeated calls', run: () => repeats.forget() },
  { does: 'forget links of the past', run: () => resets.forget() },
  { does: 'remove throw-away users of a check that was killed', run: () => ownership.removeLeftOver() },
  { does: 'forget sign-ins that nobody ended', run: () => identities.forget() },
  { does: 'take away standings that no scroll needs', run: () => weighting.dropRetired() },
  { does: 'go on with a weighting that was being built', run: () => weighting.build() },
];

const EVERY_MS = 3_600_000;
/** What was interrupted by the end of the service before is gone on with soon after the start. */
const FIRST_AFTER_MS = 5_000;

/**
 * Runs the chores soon and then every hour. One that fails is reported and tried again the next time.
 * @returns a function that stops it, once what is under way is done
 */
export function keepTidy(services: Services, failed: (error: unknown) => void): () => Promise<void> {
  let [running, ended] = [Promise.resolve(), false];
  const round = async () => {
    for (const chore of chores(services)) if (!ended) await chore.run().catch(failed);
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
