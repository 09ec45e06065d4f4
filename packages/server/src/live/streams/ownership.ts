import type { Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  followEvents: { rule: 'signed-in', spares: 'it would go on until somebody ends it' },
};
