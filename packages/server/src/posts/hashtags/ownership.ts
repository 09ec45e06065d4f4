import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listHashtags: plain('anyone'),
  listLivelyHashtags: plain('anyone'),
  getHashtag: plain('anyone'),
  listHashtagPosts: plain('anyone'),
};
