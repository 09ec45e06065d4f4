import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listFollowers: plain('anyone'),
  listFollowing: plain('anyone'),
  listNearFollows: plain('signed-in'),
  follow: plain('signed-in'),
  unfollow: plain('signed-in'),
};
