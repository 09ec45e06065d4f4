import type { Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listTraces: { rule: 'operator', fine: ['not-traced'] },
  readTrace: { rule: 'operator', fine: ['not-traced', 'not-found'] },
  readActivity: { rule: 'operator', fine: ['not-traced'] },
};
