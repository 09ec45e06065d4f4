import { columnOf, type Model } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Problem } from '../../ground/http/problem.js';
import { sqlState } from '../../ground/database/transaction.js';
import type { ModelConstraint, ModelShape } from './describe.js';
import { quoted } from '../../ground/fields/field-columns.js';

const LONGEST_VALUE = 200;
/** Rows of a table that are shown for one association. */
const ASSOCIATED = 5;

/** Columns that anybody may look at. What is not named here is private: a table that is added is, until somebody thinks. */
const PUBLIC: Record<string, readonly string[]> = {
  users: [
    'id',
    'handle',
    'name',
    'bio',
    'audience',
    'moderator',
    'version',
    'created_at',
    'erased_at',
    'picture_id',
    'picture_link',
  ],
  posts: ['id', 'author_id', 'body', 'version', 'created_at', 'edited_at', 'deleted_at', 'removal'],
  comments: [
    'id',
    'post_id',
    'parent_id',
    'author_id',
    'body',
    'version',
    'created_at',
    'edited_at',
    'deleted_at',
    'removal',
  ],
  follows: ['follower_id', 'followee_id', 'created_at'],
  user_tallies: ['user_id', 'posts', 'followers', 'following'],
  post_tallies: ['post_id', 'comments', 'comment_people', 'reactions', 'author_reaction'],
  comment_tallies: ['comment_id', 'reactions'],
  reactions: ['post_id', 'user_id', 'kind', 'created_at'],
  comment_reactions: ['comment_id', 'user_id', 'kind', 'created_at'],
  restand: ['post_id'],
  post_commenters: ['post_id', 'user_id', 'n'],
  standings: ['post_id', 'author_id', 'lane_time'],
  standing_drops: ['post_id', 'xid', 'from_lane_time', 'weighting', 'dropped_at'],
  weightings: [
    'id',
    'half_life_ms',
    'base',
    'weights',
    'in_force',
    'state',
    'created_at',
    'in_force_from',
    'in_force_until',
  ],
  credentials: ['user_id', 'demo'],
  sessions: ['id', 'user_id', 'acting', 'by_cookie', 'created_at', 'ended_at', 'end_reason'],
  sign_in_attempts: ['n', 'last_at'],
  password_resets: ['user_id', 'created_at', 'expires_at', 'used_at'],
  identities: ['id', 'issuer', 'user_id', 'created_at'],
  provider_sign_ins: ['provider', 'user_id', 'created_at'],
  throw_away_users: ['user_id', 'made_at'],
  blobs: ['id', 'width', 'height', 'widths', 'bytes', 'created_at'],
  uploads: ['id', 'user_id', 'blob_id', 'created_at'],
  post_pictures: ['post_id', 'position', 'upload_id', 'alt'],
  post_versions: ['post_id', 'version', 'created_at'],
  repeatable_calls: ['user_id', 'route', 'made_id', 'created_at'],
  reserved_handles: ['handle', 'user_id', 'reserved_until'],
  mutes: ['created_at'],
  blocks: ['created_at'],
  moderations: ['id', 'moderator_id', 'post_id', 'comment_id', 'action', 'created_at'],
  refused_attempts: ['user_id', 'route', 'thing_id', 'hour', 'kind', 'n', 'last_at'],
  erasures: ['user_id', 'begun_at', 'erased'],
  refresh_tokens: ['session_id', 'made_at', 'used_at'],
  operator_sessions: ['created_at', 'expires_at'],
  signing_keys: ['id', 'purpose', 'created_at'],
  fill_runs: ['id', 'users', 'posts', 'follows', 'comments', 'days', 'seed', 'started_at', 'batches', 'done'],
  model_migrations: ['id', 'begun_at', 'ended_at', 'state', 'undoes'],
  model_steps: ['migration_id', 'n', 'field', 'does', 'begun_at', 'ended_at', 'rows'],
  live_services: ['id', 'host', 'pid', 'started_at', 'seen_at'],
};

/** Every weighting has a table of standings, all alike. */
const sharedName = (table: string): string => table.replace(/^standings_\d+$/, 'standings');

/** Columns whose values leave the database for nobody. */
const SECRET: Record<string, readonly string[]> = {
  credentials: ['password_hash'],
  sessions: ['cookie_hash', 'family_hash'],
  refresh_tokens: ['hash', 'parent_hash'],
  operator_sessions: ['token_hash'],
  sign_in_attempts: ['key'],
  password_resets: ['token_hash'],
  provider_sign_ins: ['ticket_hash', 'state', 'nonce', 'verifier'],
  signing_keys: ['secret'],
};

/** How a column's values are shown. */
export type Showing = 'shown' | 'masked' | 'secret';

/** A row as text, in the order of the columns; masked values and NULL are told apart by the columns' showing. */
export interface ShownRow {
  /** Its primary key, as the routes take it. */
  readonly key: string;
  readonly values: (string | null)[];
}

/** Rows of one table. */
export interface ShownRows {
  readonly table: string;
  readonly columns: { readonly name: string; readonly showing: Showing }[];
  readonly rows: ShownRow[];
}

/** What a row is associated with by one foreign key, in one direction. */
export interface Association {
  /** In words: `author of this post`, `posts by author_id`. */
  readonly by: string;
  readonly direction: 'refers to' | 'referred to by';
  readonly count: number;
  readonly rows: ShownRows;
}

/** Looks at rows of the model's tables, private columns masked unless asked for. */
export class ModelRows {
  readonly #dataSource: DataSource;
  readonly #model: Model;
  readonly #reveal: boolean;
  readonly #tables: readonly ModelShape[];

  constructor(dataSource: DataSource, model: Model, tables: readonly ModelShape[], reveal: boolean) {
    this.#dataSource = dataSource;
    this.#model = model;
    this.#tables = tables;
    this.#reveal = reveal;
  }

  /** The first rows of a table, newest first where it has a time. @throws Problem `not-found` */
  async first(name: string, limit: number): Promise<ShownRows> {
    const table = this.#table(name);
    const newest = table.columns.some((column) => column.name === 'created_at')
      ? `ORDER BY created_at DESC, ${keyOf(table).map(quoted).join(', ')}`
      : '';
    return this.#read(table, newest, [], limit);
  }

  /** One row, and what it is associated with, both ways. @throws Problem `not-found` */
  async one(name: string, key: string): Promise<{ row: ShownRows; associations: Association[] }> {
    const table = this.#table(name);
    const values = key.split(',');
    const columns = keyOf(table);
    if (values.length !== columns.length) throw new Problem('not-found', `There is no row ${key} in ${name}.`);
    // The key is compared as it is, not as text: the primary key's index finds it.
    const where = `WHERE ${matching(columns)}`;
    const row = await this.#read(table, where, values, 1).catch((error: unknown) => {
      if (!sqlState(error)?.startsWith('22')) throw error;
      throw new Problem('not-found', `There is no row ${key} in ${name}: that is no key of it.`);
    });
    if (row.rows.length === 0) throw new Problem('not-found', `There is no row ${key} in ${name}.`);
    const outgoing = foreignKeys(table).map((rule) => ({ rule, sides: sidesOf(rule) }));
    const incoming = this.#tables.flatMap((other) =>
      foreignKeys(other)
        .filter((rule) => rule.refersTo === name)
        .map((rule) => ({ table: other, sides: sidesOf(rule) })),
    );
    const keys = [
      ...columns,
      ...outgoing.flatMap(({ sides }) => sides.columns),
      ...incoming.flatMap(({ sides }) => sides.referenced),
    ];
    const [linked] = await this.#dataSource.query<Record<string, unknown>[]>(
      `SELECT ${[...new Set(keys)].map(quoted).join(', ')} FROM ${quoted(name)} ${where}`,
      values,
    );
    const associations: Association[] = [];
    if (!linked) return { row, associations };
    for (const { rule, sides } of outgoing) associations.push(...(await this.#towards(rule, sides, linked)));
    for (const { table: other, sides } of incoming) associations.push(...(await this.#from(other, sides, linked)));
    return { row, associations };
  }

  #table(name: string): ModelShape {
    const table = this.#tables.find((candidate) => candidate.name === name);
    if (!table) throw new Problem('not-found', `There is no table ${name} in the model.`);
    return table;
  }

  async #towards(
    rule: ModelConstraint,
    { columns, referenced }: Sides,
    row: Record<string, unknown>,
  ): Promise<Association[]> {
    const values = columns.map((column) => row[column]);
    if (values.some((value) => value === null)) return [];
    const rows = await this.#read(this.#table(rule.refersTo!), `WHERE ${matching(referenced)}`, values, ASSOCIATED);
    return [{ by: columns.at(-1)!, direction: 'refers to', count: rows.rows.length, rows }];
  }

  async #from(table: ModelShape, { columns, referenced }: Sides, row: Record<string, unknown>): Promise<Association[]> {
    const values = referenced.map((column) => row[column] ?? null);
    const [counted] = await this.#dataSource.query<{ n: number }[]>(
      `SELECT count(*)::integer AS n FROM ${quoted(table.name)} WHERE ${matching(columns)}`,
      values,
    );
    if (counted!.n === 0) return [];
    const rows = await this.#read(table, `WHERE ${matching(columns)}`, values, ASSOCIATED);
    return [{ by: columns.at(-1)!, direction: 'referred to by', count: counted!.n, rows }];
  }

  async #read(table: ModelShape, rest: string, parameters: unknown[], limit: number): Promise<ShownRows> {
    const columns = table.columns.map(({ name }) => ({ name, showing: this.#showing(table.name, name) }));
    const key = `concat_ws(',', ${keyOf(table)
      .map((name) => `${quoted(name)}::text`)
      .join(', ')})`;
    // What is not shown is not even read.
    const values = columns.map(({ name, showing }) =>
      showing === 'shown' ? `left(${quoted(name)}::text, ${LONGEST_VALUE})` : 'NULL',
    );
    const rows = await this.#dataSource.query<ShownRow[]>(
      `SELECT ${key} AS key, ARRAY[${values.join(', ')}]::text[] AS values FROM ${quoted(table.name)} ${rest} LIMIT ${limit}`,
      parameters,
    );
    return { table: table.name, columns, rows };
  }

  #showing(table: string, column: string): Showing {
    if (SECRET[table]?.includes(column)) return 'secret';
    const own = this.#model.find((field) => field.table === table && columnOf(field.name) === column);
    const isPublic = own ? own.audience === 'anyone' : (PUBLIC[sharedName(table)] ?? []).includes(column);
    return isPublic || this.#reveal ? 'shown' : 'masked';
  }
}

const keyOf = (table: ModelShape): string[] =>
  table.constraints.find(({ kind }) => kind === 'primary key')?.columns ?? table.columns.map(({ name }) => name);

const foreignKeys = (table: ModelShape): ModelConstraint[] =>
  table.constraints.filter(({ kind }) => kind === 'foreign key');

const matching = (columns: readonly string[]): string =>
  columns.map((column, i) => `${quoted(column)} = $${i + 1}`).join(' AND ');

interface Sides {
  readonly columns: string[];
  readonly referenced: string[];
}

/** The columns of a foreign key on its own side and on the other. */
function sidesOf({ definition }: ModelConstraint): Sides {
  const [, columns, referenced] = /^FOREIGN KEY \(([^)]*)\) REFERENCES [^(]+\(([^)]*)\)/.exec(definition) ?? [];
  return { columns: columns?.split(', ') ?? [], referenced: referenced?.split(', ') ?? [] };
}
