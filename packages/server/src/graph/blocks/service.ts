import type { Caller } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inTransaction } from '../../ground/database/transaction.js';
import { LOCK_USER_TALLIES } from '../../ranking/tallies/locks.js';
import type { Querying } from '../../ground/database/hot-transaction.js';
import type { Page, PageRequest } from '../../ground/http/pagination.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import type { UserView } from '../../accounts/users/schema.js';
import type { Users } from '../../accounts/users/service.js';
import { BLOCK, BLOCKED, MUTE, MUTED, UNBLOCK, UNFOLLOW_BOTH, UNMUTE } from './queries.js';

/** The two ways of keeping away from somebody. */
export type Distance = 'mutes' | 'blocks';

/** Mutes, which are silent, and blocks, which keep the other out. */
export class Blocks {
  readonly #dataSource: DataSource;
  readonly #users: Users;

  constructor(dataSource: DataSource, users: Users) {
    this.#dataSource = dataSource;
    this.#users = users;
  }

  /**
   * Mutes or blocks; doing it again changes nothing.
   * @returns whether it is new
   * @throws Problem `invalid` for oneself, `not-found`
   */
  async add(distance: Distance, userId: string, otherId: string): Promise<boolean> {
    if (userId === otherId) throw invalid('/user', `is you yourself: nobody ${distance} themselves`);
    return inTransaction(this.#dataSource, async (manager) => {
      // The lock that a follow takes too, in a statement of its own: the later of the two sees the earlier.
      const pair = await manager.query<unknown[]>(LOCK_USER_TALLIES, [[userId, otherId]]);
      if (pair.length < 2) throw new Problem('not-found', 'There is no such user.');
      if (distance === 'blocks') await manager.query(UNFOLLOW_BOTH, [userId, otherId]);
      const made = await manager.query<unknown[]>(distance === 'blocks' ? BLOCK : MUTE, [userId, otherId]);
      return made.length > 0;
    });
  }

  /** Ends a mute or a block; where there is none, nothing changes. */
  async remove(distance: Distance, userId: string, otherId: string): Promise<void> {
    await this.#dataSource.query(distance === 'blocks' ? UNBLOCK : UNMUTE, [userId, otherId]);
  }

  /** A page of those whom a user mutes or blocks, newest first. */
  list(
    distance: Distance,
    userId: string,
    request: PageRequest,
    caller: Caller,
    at: Querying,
  ): Promise<Page<UserView>> {
    const sql = distance === 'blocks' ? BLOCKED : MUTED;
    return this.#users.pageOf(`${distance}:${userId}`, sql, userId, request, caller, at);
  }
}
