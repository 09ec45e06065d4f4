import type { Model } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Comments } from './comments/service.js';
import type { Config } from './config/schema.js';
import { Feed } from './feed/service.js';
import { Follows } from './follows/service.js';
import { PublicAddress } from './http/public-address.js';
import type { OperatorKey } from './operator/key.js';
import { Posts } from './posts/service.js';
import { Sessions } from './sessions/service.js';
import { Users } from './users/service.js';
import { Weightings } from './weighting/service.js';

/** Every capability of the service, made once and handed to the routes. */
export interface Services {
  readonly dataSource: DataSource;
  readonly config: Config;
  readonly demo: boolean;
  readonly key: OperatorKey;
  readonly address: PublicAddress;
  readonly users: Users;
  readonly sessions: Sessions;
  readonly posts: Posts;
  readonly follows: Follows;
  readonly comments: Comments;
  readonly feed: Feed;
  readonly weighting: Weightings;
  /** The model file as it is now, which may be newer than the model that the service runs by. */
  readonly modelFile: () => Model;
}

/** Makes every capability on one data source. */
export function createServices(
  dataSource: DataSource,
  config: Config,
  key: OperatorKey,
  demo: boolean,
  modelFile?: () => Model,
): Services {
  const address = new PublicAddress(config.server.publicAddress);
  const { model } = config;
  const users = new Users(dataSource, address, model);
  const posts = new Posts(dataSource, address, model);
  return {
    dataSource,
    config,
    demo,
    key,
    address,
    users,
    sessions: new Sessions(dataSource, users, config.sessions, demo),
    posts,
    follows: new Follows(dataSource, users, config.limits.follows),
    comments: new Comments(dataSource, posts, model),
    feed: new Feed(dataSource, posts),
    weighting: new Weightings(dataSource),
    modelFile: modelFile ?? (() => model),
  };
}
