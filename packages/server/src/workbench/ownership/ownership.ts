import { nothing, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  runOwnershipCheck: { rule: 'operator', body: nothing, spares: 'it is the check itself' },
  readOwnershipCheck: { rule: 'operator', fine: ['not-found'] },
};
