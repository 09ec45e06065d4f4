import { plain, reason, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listRemoved: plain('signed-in'),
  deletePost: { rule: 'owner or moderator of post', query: 'reason=tried', raced: true },
  restorePost: { rule: 'owner or moderator of removed post', body: reason },
  deleteComment: { rule: 'owner or moderator of comment', query: 'reason=tried', raced: true },
  restoreComment: { rule: 'owner or moderator of removed comment', body: reason },
  withholdPost: { rule: 'moderator', body: reason },
  withholdComment: { rule: 'moderator', body: reason },
  listModerations: plain('moderator'),
  listModerators: plain('operator'),
  addModerator: plain('operator'),
  removeModerator: plain('operator'),
};
