import type { Caller } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inTransaction } from '../../ground/database/transaction.js';
import type { Page, PageRequest } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import type { UserView } from '../../accounts/users/schema.js';
import type { Users } from '../../accounts/users/service.js';
import { BLOCKED_BETWEEN, FOLLOW, FOLLOWED_SINCE, FOLLOWERS, FOLLOWING, UNFOLLOW } from './queries.js';
import { tell } from '../../notifications/telling/tell.js';
import { LOCK_PAIR } from '../../ranking/tallies/locks.js';

/** Who follows whom. */
export class Follows {
  readonly #dataSource: DataSource;
  readonly #users: Users;
  readonly #most: number;

  constructor(dataSource: DataSource, users: Users, most: number) {
    this.#dataSource = dataSource;
    this.#users = users;
    this.#most = most;
  }

  /**
   * Makes one user follow another; doing it again changes nothing.
   * @throws Problem `self-follow`, `blocked`, `too-many-follows`, `not-found`
   */
  async follow(followerId: string, followeeId: string): Promise<{ since: Date; changed: boolean }> {
    if (followerId === followeeId) throw new Problem('self-follow', 'You cannot follow yourself: name another user.');
    return inTransaction(this.#dataSource, async (manager) => {
      const tallies = await manager.query<{ user_id: string; following: number }[]>(LOCK_PAIR, [
        followerId,
        followeeId,
      ]);
      const mine = tallies.find((tally) => tally.user_id === followerId);
      if (!mine || tallies.length < 2) throw new Problem('not-found', 'There is no such user.');
      // Seen under the lock that a block takes too: the two never both stand.
      const blocked = await manager.query<unknown[]>(BLOCKED_BETWEEN, [followerId, followeeId]);
      if (blocked.length > 0) throw new Problem('blocked', 'You block this user: lift the block first.');
      const [before] = await manager.query<{ created_at: Date }[]>(FOLLOWED_SINCE, [followerId, followeeId]);
      if (before) return { since: before.created_at, changed: false };
      if (mine.following >= this.#most)
        throw new Problem(
          'too-many-follows',
          `You follow ${mine.following} users; the limit is ${this.#most}. Unfollow somebody first.`,
        );
      const [made] = await manager.query<{ created_at: Date }[]>(FOLLOW, [followerId, followeeId]);
      const act = { thingId: followeeId, actorId: followerId, userId: followeeId, targetId: followeeId };
      await tell(manager, [{ ...act, kind: 'followed', postId: null }]);
      return { since: made!.created_at, changed: true };
    });
  }

  /** Ends a follow; where there is none, nothing changes. */
  async unfollow(followerId: string, followeeId: string): Promise<void> {
    await inTransaction(this.#dataSource, async (manager) => {
      await manager.query(LOCK_PAIR, [followerId, followeeId]);
      await manager.query(UNFOLLOW, [followerId, followeeId]);
    });
  }

  followers(userId: string, request: PageRequest, caller: Caller): Promise<Page<UserView>> {
    return this.#users.pageOf(`followers:${userId}`, FOLLOWERS, userId, request, caller);
  }

  following(userId: string, request: PageRequest, caller: Caller): Promise<Page<UserView>> {
    return this.#users.pageOf(`following:${userId}`, FOLLOWING, userId, request, caller);
  }
}
