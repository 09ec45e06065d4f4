import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  reactToPost: { rule: 'signed-in', body: () => ({ kind: 'like' }) },
  takeBackPostReaction: plain('signed-in'),
  listPostReactions: plain('anyone'),
  reactToComment: { rule: 'signed-in', body: () => ({ kind: 'like' }) },
  takeBackCommentReaction: plain('signed-in'),
  listCommentReactions: plain('anyone'),
};
