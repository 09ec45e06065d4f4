import type { Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  writeLogEntry: { rule: 'signed-in', body: () => ({ line: 'Tried by the ownership check' }) },
  tearLogEntry: { rule: 'owner of entry' },
};
