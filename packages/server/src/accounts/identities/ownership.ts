import { nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listProviders: plain('anyone'),
  beginProviderSignIn: { rule: 'anyone', body: nothing },
  finishProviderSignIn: { rule: 'anyone', body: nothing },
  listIdentities: plain('signed-in'),
  beginLink: { rule: 'signed-in', body: nothing },
  finishLink: { rule: 'signed-in', body: nothing },
  unlink: plain('owner of identity'),
};
