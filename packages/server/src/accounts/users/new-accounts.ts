import { randomInt } from 'node:crypto';
import { firstCharacters, foldHandle, handleFault, handleFrom, type FieldValues } from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { brokenConstraint, inTransaction } from '../../ground/database/transaction.js';
import { withFieldProblems } from '../../ground/fields/field-columns.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import type { OutsideProfile } from '../identities/claims.js';
import { hashPassword } from '../sessions/passwords.js';
import { Credential } from './credential.entity.js';
import { handleTaken, isReserved } from './handles.js';
import { User } from './user.entity.js';

/** So many handles are made from a name by counting before one is drawn. */
const PLAIN_ATTEMPTS = 6;

/** What somebody signs up with. */
export interface SignUp {
  readonly name: string;
  readonly email: string;
  readonly password: string;
  readonly handle?: string;
  readonly fields?: FieldValues;
}

/** How accounts are made: by signing up, or by signing in elsewhere. */
export class NewAccounts {
  readonly #dataSource: DataSource;
  readonly #longestName: number;

  constructor(dataSource: DataSource, longestName: number) {
    this.#dataSource = dataSource;
    this.#longestName = longestName;
  }

  /**
   * Makes an account. Without a handle, one is made from the name, with a number when it is taken.
   * @returns the new user's id
   * @throws Problem `taken` naming the field, `invalid` for a handle that cannot be
   */
  async signUp({ name, email, password, handle: wanted, fields }: SignUp): Promise<string> {
    const handle = wanted === undefined ? null : foldHandle(wanted);
    const fault = handle === null ? null : handleFault(handle);
    if (fault) throw invalid('/handle', fault);
    const passwordHash = await hashPassword(password);
    const id = uuidv7();
    return this.#withHandle(name, handle, [], async (manager, candidate) => {
      await manager.insert(User, { id, handle: candidate, name, ...(fields && { fields }) });
      await manager.insert(Credential, { userId: id, email, passwordHash });
      return id;
    }).catch((error: unknown) => {
      if (brokenConstraint(error) !== 'credentials_email_taken') throw error;
      throw new Problem('taken', 'An account with this e-mail exists already: sign in, or use another.', [
        { pointer: '/email', detail: 'is taken' },
      ]);
    });
  }

  /**
   * The user of somebody who signs in elsewhere; one who is not known yet is made.
   * @param look says in the transaction who it is: the user who is known, or what to do with the id of a new one
   * @returns the user's id
   */
  async ofOutside(
    profile: OutsideProfile,
    look: (manager: EntityManager) => Promise<string | ((id: string) => Promise<unknown>)>,
  ): Promise<string> {
    const name = firstCharacters(profile.name ?? profile.handle ?? 'Newcomer', this.#longestName);
    const wished = profile.handle === null ? [] : [foldHandle(profile.handle)].filter((each) => !handleFault(each));
    return this.#withHandle(name, null, wished, async (manager, handle) => {
      const found = await look(manager);
      if (typeof found === 'string') return found;
      const id = uuidv7();
      const { picture: pictureLink, fields } = profile;
      await manager.insert(User, { id, handle, name, pictureLink, ...(Object.keys(fields).length > 0 && { fields }) });
      await found(id);
      return id;
    });
  }

  /**
   * Does what makes a user, in a transaction, with a handle that is free.
   * @param fixed the handle that it has to be; null tries those wished for, then ones made from the name
   */
  async #withHandle(
    name: string,
    fixed: string | null,
    wished: readonly string[],
    work: (manager: EntityManager, handle: string) => Promise<string>,
  ): Promise<string> {
    for (let attempt = 0; ; attempt++) {
      const made = attempt - wished.length;
      const handle =
        fixed ?? wished[attempt] ?? handleFrom(name, made < PLAIN_ATTEMPTS ? made : randomInt(10, 1_000_000));
      try {
        return await withFieldProblems(() =>
          inTransaction(this.#dataSource, async (manager) => {
            const id = await work(manager, handle);
            // Looked at once the handle is ours: whoever gave it up in the meantime has reserved it by now.
            if (await isReserved(manager, handle, null)) throw new HandleReserved();
            return id;
          }),
        );
      } catch (error) {
        if (brokenConstraint(error) !== 'users_handle_taken' && !(error instanceof HandleReserved)) throw error;
        if (fixed !== null) throw handleTaken(fixed);
      }
    }
  }
}

class HandleReserved extends Error {}
