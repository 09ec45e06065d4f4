import { CHANGES_SERVICE, nothing, plain, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  readModel: plain('operator'),
  readModelRows: plain('operator'),
  readModelRow: plain('operator'),
  readModelChanges: plain('operator'),
  listModelMigrations: plain('operator'),
  migrateModel: { rule: 'operator', body: nothing, spares: CHANGES_SERVICE },
  getUserFields: plain('operator'),
  setUserFields: { rule: 'operator', body: () => ({ fields: {} }) },
  getPostFields: plain('operator'),
  setPostFields: { rule: 'operator', body: () => ({ fields: {} }) },
  getCommentFields: plain('operator'),
  setCommentFields: { rule: 'operator', body: () => ({ fields: {} }) },
};
