import { randomBytes, randomInt } from 'node:crypto';
import {
  CannotMake,
  Chance,
  columnOf,
  fieldsOf,
  makeValue,
  mustBeGiven,
  type Field,
  type OwnFields,
  type ModelTableName,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { OwnedThing } from '../../ground/capability/trial.js';
import type { Things } from '../../ground/capability/trial.js';
import { Problem } from '../../ground/http/problem.js';
import { isDatabaseGone } from '../../ground/database/gone.js';
import { inTransaction } from '../../ground/database/transaction.js';
import { LOCK_POST_TALLY } from '../../ranking/tallies/locks.js';
import { HOLD_ALL_TELLING } from '../../notifications/telling/tell.js';
import { quoted } from '../../ground/fields/field-columns.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import { READING } from '../../posts/reading/service.js';
import { columnType } from '../../ground/fields/column-type.js';

const HANDLE = 'ownership_';
const PARTS = ['user', 'post', 'comment', 'commentElsewhere', 'hostPost', 'removedPost', 'removedComment'] as const;
const LARGEST_SERIAL = 2_000_000_000;
/** A text that is read already: reading it anew would look as though a call had changed what is the owner's. */
const TEXT = { body: 'Throw-away', reading: READING };

/** Somebody who tries a route. */
export interface Member {
  readonly id: string;
  readonly handle: string;
}

/** Somebody with one thing of each kind. */
export type Owner = Member & { readonly things: Things };

/** Somebody on whose post others comment. */
export type Host = Member & { readonly post: string };

const MARK = `INSERT INTO throw_away_users (user_id) VALUES ($1)`;

/** What is the owner's ($1), all of it, as one text to compare. Counts are left out: others may follow and comment. */
const SNAPSHOTS: Readonly<Record<string, string>> = {
  user: `SELECT to_jsonb(t) FROM users t WHERE id = $1`,
  posts: `SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM posts t WHERE author_id = $1`,
  comments: `SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM comments t WHERE author_id = $1`,
  follows: `SELECT jsonb_agg(to_jsonb(t) ORDER BY followee_id) FROM follows t WHERE follower_id = $1`,
  mutes: `SELECT jsonb_agg(to_jsonb(t) ORDER BY muted_id) FROM mutes t WHERE muter_id = $1`,
  blocks: `SELECT jsonb_agg(to_jsonb(t) ORDER BY blocked_id) FROM blocks t WHERE blocker_id = $1`,
  reactions: `SELECT jsonb_agg(to_jsonb(t) ORDER BY post_id) FROM reactions t WHERE user_id = $1`,
  pictures: `SELECT jsonb_agg(to_jsonb(t) ORDER BY t.post_id, t.position) FROM post_pictures t JOIN posts p ON p.id = t.post_id WHERE p.author_id = $1`,
};

/** Throw-away users made before an instant with all that is theirs, tallies by the triggers; then the handles that they leave. */
const REMOVE_USERS = `DELETE FROM users WHERE id IN (SELECT user_id FROM throw_away_users WHERE made_at <= $1)`;
const FREE_HANDLES = `DELETE FROM reserved_handles WHERE handle LIKE '${HANDLE.replace('_', '\\_')}%' AND user_id IS NULL`;

/** Makes and removes the people and things of an ownership check. */
export class Cast {
  readonly #dataSource: DataSource;
  readonly #sessions: Sessions;
  readonly #model: OwnFields;
  readonly #things: readonly OwnedThing[];
  readonly #snapshot: string;

  /** @param things what capabilities have made for each owner, beside posts and comments */
  constructor(dataSource: DataSource, sessions: Sessions, model: OwnFields, things: readonly OwnedThing[]) {
    this.#dataSource = dataSource;
    this.#sessions = sessions;
    this.#model = model;
    this.#things = things;
    const others = things.map(({ name, snapshot }) => [name, snapshot] as const);
    const parts = [...Object.entries(SNAPSHOTS), ...others].map(([name, sql]) => `'${name}', (${sql})`);
    this.#snapshot = `SELECT jsonb_build_object(${parts.join(', ')})::text AS snapshot`;
  }

  /** Somebody with nothing of their own. */
  member(moderator = false): Promise<Member> {
    return this.#make((manager) => this.#makeMember(manager, moderator));
  }

  /** Somebody whose post others comment on; they block nobody. */
  async host(): Promise<Host> {
    const host = { ...(await this.member()), post: uuidv7() };
    const post = { id: host.post, author_id: host.id, ...TEXT };
    await this.#make((manager) => this.#insert(manager, 'posts', [post]));
    return host;
  }

  /** An owner with one thing of each kind, who keeps `blocked` out and comments at `host`'s too. */
  owner(blocked: Member, host: Host): Promise<Owner> {
    // In one transaction, and few statements: there are hundreds of owners.
    return this.#make(async (manager) => {
      const owner = await this.#makeMember(manager, false);
      return { ...owner, things: await this.#makeThings(manager, owner, blocked, host) };
    });
  }

  /** A token of a session of its own. */
  async tokenOf({ id }: Member): Promise<string> {
    return (await this.#sessions.actAs(id)).accessToken!;
  }

  /** What is the owner's, as a text that changes with any of it. */
  async snapshot({ things }: Owner): Promise<string> {
    const [row] = await this.#dataSource.query<{ snapshot: string }[]>(this.#snapshot, [things.user]);
    return row!.snapshot;
  }

  /** Removes everybody made before an instant. */
  async remove(before: Date): Promise<void> {
    await inTransaction(this.#dataSource, async (manager) => {
      // Nobody is told of anything meanwhile: what goes here is of many people at once, and each of them may be told of it.
      await manager.query(HOLD_ALL_TELLING);
      await manager.query(REMOVE_USERS, [before.toISOString()]);
    });
    for (const sql of [FREE_HANDLES, ...this.#things.flatMap(({ leftOver }) => leftOver ?? [])])
      await this.#dataSource.query(sql);
  }

  /** Makes things in one transaction: once more where the database was out of reach for a moment. */
  async #make<T>(work: (manager: EntityManager) => Promise<T>): Promise<T> {
    try {
      return await inTransaction(this.#dataSource, work);
    } catch (error) {
      if (!isDatabaseGone(error)) throw error;
      return inTransaction(this.#dataSource, work);
    }
  }

  async #makeMember(manager: EntityManager, moderator: boolean): Promise<Member> {
    const member = { id: uuidv7(), handle: HANDLE + randomBytes(6).toString('hex') };
    await this.#insert(manager, 'users', [{ ...member, name: 'Throw-away', audience: 'signed-in', moderator }]);
    await manager.query(MARK, [member.id]);
    return member;
  }

  /** One thing of each kind, and a block that keeps somebody out. */
  async #makeThings(manager: EntityManager, owner: Member, blocked: Member, host: Host): Promise<Things> {
    const ids = Object.fromEntries(PARTS.map((part) => [part, uuidv7()])) as Record<(typeof PARTS)[number], string>;
    const on = uuidv7();
    const run = (sql: string, parameters: unknown[]) => manager.query(sql, parameters);
    // Counts first, then those who are told of things: what is done here in one transaction holds them alone, one after the other.
    await run(LOCK_POST_TALLY, [host.post]);
    await run(HOLD_ALL_TELLING, []);
    await run(`INSERT INTO blocks (blocker_id, blocked_id) VALUES ($1, $2)`, [owner.id, blocked.id]);
    const written = { author_id: owner.id, ...TEXT };
    await this.#insert(
      manager,
      'posts',
      [ids.post, ids.removedPost, on].map((id) => ({ id, ...written })),
    );
    await this.#insert(manager, 'comments', [
      { id: ids.comment, post_id: on, ...written },
      { id: ids.removedComment, post_id: on, ...written },
      { id: ids.commentElsewhere, post_id: host.post, ...written },
    ]);
    await run(`UPDATE posts SET deleted_at = clock_timestamp(), removal = 'owner' WHERE id = $1`, [ids.removedPost]);
    await run(`UPDATE comments SET deleted_at = clock_timestamp(), removal = 'owner' WHERE id = $1`, [
      ids.removedComment,
    ]);
    const others = this.#things.map(({ name, make }) => ({ name, make, id: uuidv7() }));
    for (const { make, id } of others) await run(make, [id, owner.id]);
    const made = Object.fromEntries(others.map(({ name, id }) => [name, id]));
    return { ...ids, ...made, user: owner.id, hostPost: host.post };
  }

  /** Makes rows of the same columns, with made-up values for the fields of the developer's own that they cannot do without. */
  async #insert(
    manager: EntityManager,
    table: ModelTableName,
    rows: readonly Readonly<Record<string, unknown>>[],
  ): Promise<void> {
    const needed = fieldsOf(this.#model, table).filter(mustBeGiven);
    const given = Object.keys(rows[0]!);
    const columns = [...given, ...needed.map(({ name }) => quoted(columnOf(name)))];
    const types = [...given.map(() => ''), ...needed.map(({ kind }) => `::${columnType(kind)}`)];
    const values = rows.map((row) => [...given.map((column) => row[column]), ...this.#madeUp(needed)]);
    const places = values.map(
      (_, i) => `(${types.map((type, j) => `$${i * types.length + j + 1}${type}`).join(', ')})`,
    );
    await manager.query(`INSERT INTO ${table} (${columns.join(', ')}) VALUES ${places.join(', ')}`, values.flat());
  }

  #madeUp(fields: readonly Field[]): unknown[] {
    const making = { chance: new Chance(randomInt(LARGEST_SERIAL)), serial: randomInt(LARGEST_SERIAL) };
    return fields.map((field) => {
      try {
        return makeValue(field, making);
      } catch (error) {
        throw error instanceof CannotMake ? new Problem('invalid', error.message) : error;
      }
    });
  }
}
