import type { Caller } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { Querying } from '../../ground/database/hot-transaction.js';
import type { Page, PageRequest } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import type { UserView } from '../../accounts/users/schema.js';
import type { Users } from '../../accounts/users/service.js';
import { Following } from './following.js';
import { FOLLOWERS, FOLLOWING } from './queries.js';

/** Who follows whom. */
export class Follows {
  readonly #users: Users;
  readonly #following: Following;

  constructor(dataSource: DataSource, users: Users, most: number) {
    this.#users = users;
    this.#following = new Following(dataSource, most);
  }

  /**
   * Makes one user follow another; doing it again changes nothing.
   * @throws Problem `self-follow`, `blocked`, `too-many-follows`, `not-found`
   */
  async follow(followerId: string, followeeId: string): Promise<{ since: Date; changed: boolean }> {
    if (followerId === followeeId) throw new Problem('self-follow', 'You cannot follow yourself: name another user.');
    const { since, changed } = await this.#following.do({ followerId, followeeId, follows: true });
    return { since: since!, changed };
  }

  /** Ends a follow; where there is none, nothing changes. */
  async unfollow(followerId: string, followeeId: string): Promise<void> {
    await this.#following.do({ followerId, followeeId, follows: false });
  }

  followers(userId: string, request: PageRequest, caller: Caller, at: Querying): Promise<Page<UserView>> {
    return this.#users.pageOf(`followers:${userId}`, FOLLOWERS, userId, request, caller, at);
  }

  following(userId: string, request: PageRequest, caller: Caller, at: Querying): Promise<Page<UserView>> {
    return this.#users.pageOf(`following:${userId}`, FOLLOWING, userId, request, caller, at);
  }
}
