import { plain, tried, type Trials } from '../../ground/capability/trial.js';

/** Who may call what here, said a second time: the ownership check holds the routes against it. */
export const TRIALS: Trials = {
  listComments: plain('anyone'),
  getComment: plain('anyone'),
  listReplies: plain('anyone'),
  createComment: {
    rule: 'signed-in',
    body: tried,
    inside: {
      post: ({ hostPost }) => hostPost,
      body: ({ commentElsewhere }) => ({ ...tried(), parentId: commentElsewhere }),
    },
  },
  editComment: { rule: 'owner of comment', body: tried, raced: true },
};
