import { CHANGES_SERVICE, nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  openOperatorBrowser: { rule: 'anyone', body: () => ({ key: 'a guess' }) },
  closeOperatorBrowser: plain('operator'),
  actAsUser: { rule: 'operator', body: ({ user }) => ({ user }), fine: ['acting-off'] },
  readStats: plain('operator'),
  getPlace: plain('operator'),
  rotateSigningKey: { rule: 'operator', body: nothing, spares: CHANGES_SERVICE },
};
