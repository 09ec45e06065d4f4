import { plain, tried, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listPosts: plain('anyone'),
  listUserPosts: plain('anyone'),
  getPost: plain('anyone'),
  createPost: { rule: 'signed-in', body: tried },
  editPost: { rule: 'owner of post', body: tried, raced: true },
  listPostVersions: plain('owner or moderator of post'),
};
