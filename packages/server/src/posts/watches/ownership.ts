import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  watchPost: plain('signed-in'),
  unwatchPost: plain('signed-in'),
  listWatches: plain('signed-in'),
};
