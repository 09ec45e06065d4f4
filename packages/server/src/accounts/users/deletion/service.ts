import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inTransaction } from '../../../ground/database/transaction.js';
import { underLock } from '../../../ground/database/under-lock.js';
import { refusalProblem } from '../../../ground/http/problem.js';
import type { Sessions } from '../../sessions/service.js';
import { reserveHandle } from '../handles.js';
import { LOCK_HANDLE } from '../queries.js';
import { Erasure } from './erasure.entity.js';
import { ERASURES, eraseSteps, scrubUser } from './queries.js';

const BATCH = 500;
/** Held by the one process that erases. */
const ERASING = `hashtext('gather-lane erase')`;

/** Deleting accounts: at once out of sight, then erased row by row. */
export class AccountDeletion {
  readonly #dataSource: DataSource;
  readonly #background: DataSource;
  readonly #sessions: Sessions;
  readonly #model: OwnFields;

  /** @param background where what is left of an account is erased */
  constructor(dataSource: DataSource, background: DataSource, sessions: Sessions, model: OwnFields) {
    this.#dataSource = dataSource;
    this.#background = background;
    this.#sessions = sessions;
    this.#model = model;
  }

  /**
   * Deletes an account, in one transaction: its sessions end, the profile is scrubbed, and nothing that the user made
   * is shown any more. What is left of it a job erases.
   * @param proof the password, or the handle where the account has none
   * @param address whence the attempt comes
   * @throws Problem `invalid` for a wrong proof, `too-often`
   */
  async delete(userId: string, proof: { password?: string; handle?: string }, address: string): Promise<void> {
    await this.#sessions.requireProof(userId, proof, address);
    await inTransaction(this.#dataSource, async (manager) => {
      const [user] = await manager.query<{ handle: string }[]>(LOCK_HANDLE, [userId]);
      const [scrubbed] = await manager.query<[unknown[], number]>(scrubUser(this.#model), [userId]);
      if (!user || scrubbed.length === 0) throw refusalProblem('not-found', 'user');
      await reserveHandle(manager, user.handle, null);
      await this.#sessions.forgetUser(manager, userId);
      await manager.insert(Erasure, { userId });
    });
  }

  /**
   * Erases what is left of deleted accounts, in batches. One process at a time; a second one leaves it to the first.
   * @returns how many rows went
   */
  async erase(): Promise<number> {
    const eraseAll = async () => {
      let total = 0;
      for (const { user_id } of await this.#background.query<{ user_id: string }[]>(ERASURES))
        total += await this.#eraseOne(user_id);
      return total;
    };
    return underLock(this.#background, ERASING, eraseAll, () => 0);
  }

  async #eraseOne(userId: string): Promise<number> {
    let total = 0;
    for (const { sql } of eraseSteps(this.#model))
      for (let gone = BATCH; gone === BATCH; total += gone)
        gone = await inTransaction(this.#background, async (manager) => {
          const [, rows] = await manager.query<[unknown[], number]>(sql, [userId, BATCH]);
          await manager.increment(Erasure, { userId }, 'erased', rows);
          return rows;
        });
    return total;
  }
}
