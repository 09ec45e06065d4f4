import { CHANGES_SERVICE, nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listWeightings: plain('operator'),
  readWeighting: { rule: 'operator', fine: ['not-found'] },
  tryWeighting: { rule: 'operator', body: () => ({ sample: 0 }) },
  adoptWeighting: { rule: 'operator', body: nothing, spares: CHANGES_SERVICE },
  cancelWeighting: { rule: 'operator', fine: ['not-found'] },
};
