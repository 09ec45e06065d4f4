import type { Owned } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { LogEntry } from './log-entry.entity.js';

const FORGET = `DELETE FROM log_entries WHERE created_at < clock_timestamp() - interval '1 year'`;

/** Log books. */
export class LogBook {
  readonly #database: DataSource;

  constructor(database: DataSource) {
    this.#database = database;
  }

  /** @returns the entry's id */
  async write(userId: string, line: string): Promise<string> {
    const id = uuidv7();
    await this.#database.manager.insert(LogEntry, { id, userId, line });
    return id;
  }

  async tear(id: string): Promise<void> {
    await this.#database.manager.delete(LogEntry, { id });
  }

  /** Whose an entry is, for its doorway. */
  async owned(id: string): Promise<Owned | null> {
    const entry = await this.#database.manager.findOneBy(LogEntry, { id });
    return entry && { ownerId: entry.userId, version: 1 };
  }

  /** Forgets what is older than a year. */
  async forget(): Promise<void> {
    await this.#database.query(FORGET);
  }
}
