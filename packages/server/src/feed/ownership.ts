import { plain, type Trials } from '../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  readFollowingFeed: plain('signed-in'),
  countNewer: { rule: 'signed-in', query: 'than=a-guess' },
  getOwnPlace: plain('signed-in'),
  inspectFeed: plain('operator'),
};
