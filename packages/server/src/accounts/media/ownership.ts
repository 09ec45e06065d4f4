import { nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  uploadPicture: { rule: 'signed-in', body: nothing },
  getUpload: plain('owner of upload'),
  deleteUpload: plain('owner of upload'),
};
