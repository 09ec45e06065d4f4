import { randomBytes } from 'node:crypto';
import type { Model } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Blocks } from '../graph/blocks/service.js';
import { Comments } from '../posts/comments/service.js';
import type { Config } from '../ground/config/schema.js';
import { Cursors } from '../ground/http/cursors.js';
import { Pages } from '../ground/http/pagination.js';
import { OperatorBrowserSessions } from '../accounts/operator/browser-sessions.js';
import { FeedInspection } from '../feed/inspection.js';
import { Places } from '../feed/place.js';
import { Feed } from '../feed/service.js';
import { NearFollows } from '../graph/follows/near.js';
import { Follows } from '../graph/follows/service.js';
import { PublicAddress } from '../ground/http/public-address.js';
import type { Provider } from '../accounts/identities/providers.js';
import { Identities } from '../accounts/identities/service.js';
import type { Mailbox } from '../accounts/mail/mailbox.js';
import { Mailer } from '../accounts/mail/mailer.js';
import { Media } from '../posts/media/service.js';
import type { MediaStore } from '../posts/media/store.js';
import { Removals } from '../posts/moderation/service.js';
import type { OperatorKey } from '../accounts/operator/key.js';
import { OwnershipCheck } from '../workbench/ownership/service.js';
import { PasswordResets } from '../accounts/password-resets/service.js';
import { Posts } from '../posts/posts/service.js';
import { Reactions } from '../posts/reactions/service.js';
import { Refusals } from '../ground/denied-attempts/service.js';
import { Repeats } from '../ground/idempotency/service.js';
import { Sessions } from '../accounts/sessions/service.js';
import { AccountDeletion } from '../accounts/users/deletion/service.js';
import { Users } from '../accounts/users/service.js';
import { Weightings } from '../ranking/weighting/service.js';

/** Every capability of the service, made once and handed to the routes. */
export interface Services {
  readonly dataSource: DataSource;
  /** For work that nobody waits for: the same database, without limits of time. */
  readonly background: DataSource;
  readonly config: Config;
  readonly demo: boolean;
  readonly key: OperatorKey;
  readonly browserSessions: OperatorBrowserSessions;
  readonly cursors: Cursors;
  readonly address: PublicAddress;
  readonly users: Users;
  readonly sessions: Sessions;
  readonly posts: Posts;
  readonly follows: Follows;
  readonly comments: Comments;
  readonly reactions: Reactions;
  readonly removals: Removals;
  readonly blocks: Blocks;
  readonly deletion: AccountDeletion;
  readonly identities: Identities;
  readonly store: MediaStore;
  readonly media: Media;
  readonly repeats: Repeats;
  readonly ownership: OwnershipCheck;
  /** What the service's own check carries, so that no limit counts it. */
  readonly pass: string;
  readonly refusals: Refusals;
  readonly resets: PasswordResets;
  /** The mailbox stand-in of a demo. */
  readonly mailbox: Mailbox | null;
  readonly feed: Feed;
  readonly inspection: FeedInspection;
  readonly places: Places;
  readonly near: NearFollows;
  readonly weighting: Weightings;
  /** The model file as it is now, which may be newer than the model that the service runs by. */
  readonly modelFile: () => Model;
}

/** What the capabilities are made with, beside the data source. */
export interface ServiceParts {
  readonly demo: boolean;
  /** Where work that nobody waits for is done; on the same connections unless given. */
  readonly background?: DataSource;
  readonly store: MediaStore;
  readonly modelFile?: (() => Model) | undefined;
  readonly mailbox?: Mailbox | null;
  /** The stand-in provider of a demo, beside those that are configured. */
  readonly provider?: Provider | null;
}

/** Makes every capability on one data source. */
export function createServices(
  dataSource: DataSource,
  config: Config,
  key: OperatorKey,
  { demo, background = dataSource, store, modelFile, mailbox = null, provider = null }: ServiceParts,
): Services {
  const address = new PublicAddress(config.server.publicAddress);
  const { model } = config;
  const cursors = new Cursors(dataSource);
  const pages = new Pages(cursors);
  const users = new Users(dataSource, pages, address, model, config.limits.name);
  const posts = new Posts(dataSource, pages, address, model);
  const mailer = new Mailer(config.mail, mailbox?.address);
  const pass = randomBytes(24).toString('base64url');
  const refusals = new Refusals(dataSource);
  const comments = new Comments(dataSource, posts, pages, address, model);
  const sessions = new Sessions(dataSource, { users, refusals }, config.sessions, demo);
  return {
    dataSource,
    background,
    config,
    demo,
    key,
    browserSessions: new OperatorBrowserSessions(dataSource, key),
    cursors,
    address,
    users,
    sessions,
    posts,
    follows: new Follows(dataSource, users, config.limits.follows),
    comments,
    reactions: new Reactions(dataSource, pages, address),
    removals: new Removals(dataSource, background, { posts, comments, pages }),
    blocks: new Blocks(dataSource, users),
    deletion: new AccountDeletion(dataSource, background, sessions, model),
    store,
    media: new Media(dataSource, background, store, address),
    repeats: new Repeats(dataSource),
    identities: new Identities(dataSource, users, address, {
      model,
      providers: [...config.signIn.providers, ...(provider ? [provider] : [])],
      issuers: config.signIn.issuers,
    }),
    ownership: new OwnershipCheck(dataSource, { sessions, key, model }, pass),
    pass,
    refusals,
    resets: new PasswordResets(dataSource, { users, sessions, mailer }, address, config.mail.resetLink),
    mailbox,
    feed: new Feed(dataSource, posts, cursors),
    inspection: new FeedInspection(dataSource, (watched, viewer, request) =>
      new Feed(watched, new Posts(watched, pages, address, model), cursors).page(viewer, request),
    ),
    places: new Places(dataSource),
    near: new NearFollows(dataSource, users),
    weighting: new Weightings(
      dataSource,
      background,
      config.reactions.map(({ name }) => name),
    ),
    modelFile: modelFile ?? (() => model),
  };
}
