import { nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listUsers: plain('anyone'),
  getUser: plain('anyone'),
  signUp: { rule: 'anyone', body: nothing },
  getMe: plain('signed-in'),
  editUser: { rule: 'owner of user', body: () => ({ bio: 'Tried' }), raced: true },
  deleteUser: { rule: 'owner of user', body: () => ({ handle: 'not_this_one' }) },
};
