import type { DoorwayRule } from '@gather-lane/core';
import type { Things } from './cast.js';

/** How a route is tried. */
export interface Trial {
  /**
   * The rule that it should have. It stands here a second time on purpose: a rule that is weakened where the route is
   * declared no longer agrees with it.
   */
  readonly rule: DoorwayRule;
  readonly body?: (things: Things) => unknown;
  readonly query?: string;
  /** Problems that are no refusal of the caller: of a credential in the body, of a mail server that is not there. */
  readonly fine?: readonly string[];
  /** Finds people whoever they are: one lifts a block of one's own from somebody who blocks back. */
  readonly findsAnybody?: boolean;
  /** Not tried by those whom it lets in, for it would change the service itself; why. */
  readonly spares?: string;
  /**
   * The call on a thing of the owner's inside a thing of somebody else's, where the path names only the latter; whom it is out of
   * sight for is refused as a value that is not right.
   */
  readonly inside?: { readonly post: (things: Things) => string; readonly body: (things: Things) => unknown };
  /** Of two edits of the same version at once, one has to win. */
  readonly raced?: boolean;
}

const text = () => ({ body: 'Tried by the ownership check' });
const reason = () => ({ reason: 'Tried by the ownership check' });
const nothing = () => ({});
const SERVICE = 'it would change the service itself';
const read = (rule: DoorwayRule): Trial => ({ rule });

/** Every route of the API by its operation name: what it should allow, and what to send. A route without a place here fails a test. */
export const MATRIX: Readonly<Record<string, Trial>> = {
  getAbout: read('anyone'),
  listUsers: read('anyone'),
  getUser: read('anyone'),
  listPosts: read('anyone'),
  listUserPosts: read('anyone'),
  readUserAtom: read('anyone'),
  getPost: read('anyone'),
  listComments: read('anyone'),
  getComment: read('anyone'),
  listFollowers: read('anyone'),
  listFollowing: read('anyone'),
  listProviders: read('anyone'),
  signUp: { rule: 'anyone', body: nothing },
  // A name of its own each time: guessing at one name again and again is slowed.
  signIn: { rule: 'anyone', body: ({ user }) => ({ login: user, password: 'a guess' }) },
  refreshSession: { rule: 'anyone', body: () => ({ refreshToken: 'a guess' }) },
  requestPasswordReset: { rule: 'anyone', body: nothing, fine: ['no-mail'] },
  redeemPasswordReset: { rule: 'anyone', body: nothing },
  beginProviderSignIn: { rule: 'anyone', body: nothing },
  finishProviderSignIn: { rule: 'anyone', body: nothing },
  openOperatorBrowser: { rule: 'anyone', body: () => ({ key: 'a guess' }) },

  getMe: read('signed-in'),
  listSessions: read('signed-in'),
  signOut: read('signed-in'),
  signOutEverywhere: read('signed-in'),
  changePassword: { rule: 'signed-in', body: () => ({ current: 'a guess', password: 'another guess' }) },
  listIdentities: read('signed-in'),
  beginLink: { rule: 'signed-in', body: nothing },
  finishLink: { rule: 'signed-in', body: nothing },
  uploadPicture: { rule: 'signed-in', body: nothing },
  createPost: { rule: 'signed-in', body: text },
  createComment: {
    rule: 'signed-in',
    body: text,
    inside: {
      post: ({ hostPost }) => hostPost,
      body: ({ commentElsewhere }) => ({ ...text(), parentId: commentElsewhere }),
    },
  },
  listRemoved: read('signed-in'),
  reactToPost: { rule: 'signed-in', body: () => ({ kind: 'like' }) },
  takeBackPostReaction: read('signed-in'),
  listPostReactions: read('anyone'),
  reactToComment: { rule: 'signed-in', body: () => ({ kind: 'like' }) },
  takeBackCommentReaction: read('signed-in'),
  listCommentReactions: read('anyone'),
  listNearFollows: read('signed-in'),
  follow: read('signed-in'),
  unfollow: read('signed-in'),
  mute: read('signed-in'),
  unmute: { rule: 'signed-in', findsAnybody: true },
  listMutes: read('signed-in'),
  block: read('signed-in'),
  unblock: { rule: 'signed-in', findsAnybody: true },
  listBlocks: read('signed-in'),
  readFollowingFeed: read('signed-in'),
  countNewer: { rule: 'signed-in', query: 'than=a-guess' },
  getOwnPlace: read('signed-in'),

  editUser: { rule: 'owner of user', body: () => ({ bio: 'Tried' }), raced: true },
  deleteUser: { rule: 'owner of user', body: () => ({ handle: 'not_this_one' }) },
  endSession: read('owner of session'),
  unlink: read('owner of identity'),
  getUpload: read('owner of upload'),
  deleteUpload: read('owner of upload'),
  editPost: { rule: 'owner of post', body: text, raced: true },
  deletePost: { rule: 'owner or moderator of post', query: 'reason=tried', raced: true },
  listPostVersions: read('owner or moderator of post'),
  restorePost: { rule: 'owner or moderator of removed post', body: reason },
  editComment: { rule: 'owner of comment', body: text, raced: true },
  deleteComment: { rule: 'owner or moderator of comment', query: 'reason=tried', raced: true },
  restoreComment: { rule: 'owner or moderator of removed comment', body: reason },

  withholdPost: { rule: 'moderator', body: reason },
  withholdComment: { rule: 'moderator', body: reason },
  listModerations: read('moderator'),

  closeOperatorBrowser: read('operator'),
  actAsUser: { rule: 'operator', body: ({ user }) => ({ user }), fine: ['acting-off'] },
  readStats: read('operator'),
  getPlace: read('operator'),
  inspectFeed: read('operator'),
  listWeightings: read('operator'),
  readWeighting: { rule: 'operator', fine: ['not-found'] },
  tryWeighting: { rule: 'operator', body: () => ({ sample: 0 }) },
  adoptWeighting: { rule: 'operator', body: nothing, spares: SERVICE },
  cancelWeighting: { rule: 'operator', fine: ['not-found'] },
  rotateSigningKey: { rule: 'operator', body: nothing, spares: SERVICE },
  listModerators: read('operator'),
  addModerator: read('operator'),
  removeModerator: read('operator'),
  listRefusedAttempts: read('operator'),
  runOwnershipCheck: { rule: 'operator', body: nothing, spares: 'it is the check itself' },
  readOwnershipCheck: { rule: 'operator', fine: ['not-found'] },
  readMailbox: { rule: 'operator', fine: ['not-found'] },
  getUserFields: read('operator'),
  setUserFields: { rule: 'operator', body: () => ({ fields: {} }) },
  getPostFields: read('operator'),
  setPostFields: { rule: 'operator', body: () => ({ fields: {} }) },
  getCommentFields: read('operator'),
  setCommentFields: { rule: 'operator', body: () => ({ fields: {} }) },
  readModel: read('operator'),
  readModelRows: read('operator'),
  readModelRow: read('operator'),
  readModelChanges: read('operator'),
  listModelMigrations: read('operator'),
  migrateModel: { rule: 'operator', body: nothing, spares: SERVICE },
};
