import { nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listNotifications: plain('signed-in'),
  countUnseen: plain('signed-in'),
  markSeen: { rule: 'signed-in', body: nothing },
  getNotificationChoices: plain('signed-in'),
  chooseNotifications: { rule: 'signed-in', body: nothing },
};
