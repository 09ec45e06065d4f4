import { nothing, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  makeCalls: { rule: 'operator', body: nothing, fine: ['not-traced'] },
  proofread: { rule: 'operator', body: nothing },
};
