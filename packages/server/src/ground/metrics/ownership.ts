import { plain, type Trials } from '../capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  readMetrics: plain('operator'),
  listMeasurements: plain('operator'),
};
