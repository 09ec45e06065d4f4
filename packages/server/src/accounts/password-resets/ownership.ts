import { nothing, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  requestPasswordReset: { rule: 'anyone', body: nothing, fine: ['no-mail'] },
  redeemPasswordReset: { rule: 'anyone', body: nothing },
};
