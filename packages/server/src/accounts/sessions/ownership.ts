import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  // A name of its own each time: guessing at one name again and again is slowed.
  signIn: { rule: 'anyone', body: ({ user }) => ({ login: user, password: 'a guess' }) },
  refreshSession: { rule: 'anyone', body: () => ({ refreshToken: 'a guess' }) },
  listSessions: plain('signed-in'),
  signOut: plain('signed-in'),
  signOutEverywhere: plain('signed-in'),
  changePassword: { rule: 'signed-in', body: () => ({ current: 'a guess', password: 'another guess' }) },
  endSession: plain('owner of session'),
};
