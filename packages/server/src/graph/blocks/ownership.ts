import { plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  mute: plain('signed-in'),
  unmute: { rule: 'signed-in', findsAnybody: true },
  listMutes: plain('signed-in'),
  block: plain('signed-in'),
  unblock: { rule: 'signed-in', findsAnybody: true },
  listBlocks: plain('signed-in'),
};
