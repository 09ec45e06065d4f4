import {
  Chance,
  columnOf,
  DEMO_PASSWORD,
  placeUnder,
  type ThreadPlace,
  fieldsOf,
  makeValue,
  type OwnFields,
  type ModelTableName,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import type { Config } from '../../ground/config/schema.js';
import { hashPassword } from '../../accounts/sessions/passwords.js';
import { TOLD, tellAnew } from '../../notifications/telling/tell-anew.js';
import { readNew } from '../../posts/reading/back-fill.js';
import { columnType } from '../../ground/fields/column-type.js';

/** Rows in one statement: enough to be quick, few enough for the progress to be seen. */
const BATCH = 250;
const OWN_FIELDS_SEED = 1812;
const DAY_MS = 86_400_000;
/** For how long back people were told of what happened, and how long ago they looked. */
const [TOLD_MS, UNSEEN_MS] = [21 * DAY_MS, 2 * DAY_MS];

interface Table {
  readonly name: string;
  readonly columns: Record<string, string>;
  readonly rows: unknown[][];
}

const at = (ms: number): string => new Date(ms).toISOString();

/** Whether the demo's people are there already. */
export async function isDemoLoaded(dataSource: DataSource): Promise<boolean> {
  const [row] = await dataSource.query<{ there: boolean }[]>(
    `SELECT EXISTS (SELECT FROM credentials WHERE demo) AS there`,
  );
  return row!.there;
}

/**
 * Loads the Wherry Cut into an empty database, in one transaction: all of it or nothing.
 * @param progress is told how many rows of how many are in
 */
export async function loadDemo(
  dataSource: DataSource,
  { model, reactions, limits }: Pick<Config, 'model' | 'reactions' | 'limits'>,
  progress: (done: number, total: number) => void,
): Promise<void> {
  const { makeDemo } = await import('@gather-lane/core/demo');
  const demo = makeDemo(
    Date.now(),
    reactions.map(({ name }) => name),
  );
  const places = placesOf(demo.comments, limits.depth);
  // One hash for all: the password is published, and sixty hashes would take longer than all the rows.
  const passwordHash = await hashPassword(DEMO_PASSWORD);
  const plain: Table[] = [
    {
      name: 'users',
      columns: {
        id: 'uuid',
        handle: 'text',
        name: 'text',
        bio: 'text',
        moderator: 'boolean',
        created_at: 'timestamptz',
      },
      rows: demo.users.map((u) => [u.id, u.handle, u.name, u.bio, u.moderator, at(u.createdAt)]),
    },
    {
      name: 'credentials',
      columns: { user_id: 'uuid', email: 'text', password_hash: 'text', demo: 'boolean' },
      rows: demo.users.map((u) => [u.id, `${u.handle}@wherry-cut.example`, passwordHash, true]),
    },
    {
      name: 'follows',
      columns: { follower_id: 'uuid', followee_id: 'uuid', created_at: 'timestamptz' },
      rows: demo.follows.map((f) => [f.followerId, f.followeeId, at(f.createdAt)]),
    },
    {
      name: 'mutes',
      columns: { muter_id: 'uuid', muted_id: 'uuid', created_at: 'timestamptz' },
      rows: demo.mutes.map((m) => [m.fromId, m.toId, at(m.createdAt)]),
    },
    {
      name: 'blocks',
      columns: { blocker_id: 'uuid', blocked_id: 'uuid', created_at: 'timestamptz' },
      rows: demo.blocks.map((b) => [b.fromId, b.toId, at(b.createdAt)]),
    },
    {
      name: 'posts',
      columns: { id: 'uuid', author_id: 'uuid', body: 'text', created_at: 'timestamptz' },
      rows: demo.posts.map((p) => [p.id, p.authorId, p.body, at(p.createdAt)]),
    },
    {
      name: 'comments',
      columns: {
        id: 'uuid',
        post_id: 'uuid',
        parent_id: 'uuid',
        under_id: 'uuid',
        depth: 'smallint',
        author_id: 'uuid',
        body: 'text',
        created_at: 'timestamptz',
      },
      rows: demo.comments.map((c) => {
        const { underId, depth } = places.get(c.id)!;
        return [c.id, c.postId, c.parentId, underId, depth, c.authorId, c.body, at(c.createdAt)];
      }),
    },
    {
      name: 'reactions',
      columns: { post_id: 'uuid', user_id: 'uuid', kind: 'text', created_at: 'timestamptz' },
      rows: demo.reactions.map((r) => [r.postId, r.userId, r.kind, at(r.createdAt)]),
    },
    {
      name: 'comment_reactions',
      columns: { comment_id: 'uuid', user_id: 'uuid', kind: 'text', created_at: 'timestamptz' },
      rows: demo.commentReactions.map((r) => [r.commentId, r.userId, r.kind, at(r.createdAt)]),
    },
  ];
  const tables = plain.map((table) => withOwnFields(table, model));
  const total = tables.reduce((sum, { rows }) => sum + rows.length, 0);
  let done = 0;
  await dataSource.transaction(async (manager) => {
    for (const table of tables)
      for (let from = 0; from < table.rows.length; from += BATCH) {
        const rows = table.rows.slice(from, from + BATCH);
        await insert(manager, table, rows);
        progress((done += rows.length), total);
      }
    // What they name is found by the rules of any text, once everybody is there.
    await readNew(manager);
    // What is there by now is not known to the planner before.
    await manager.query(`ANALYZE ${tables.map(({ name }) => name).join(', ')}`);
    // What was told in the last weeks, the latest of it unseen.
    const now = Date.now();
    await tellAnew(manager, new Date(now - TOLD_MS), new Date(now - UNSEEN_MS));
  });
  // Fresh statistics and visibility, so that the first pages are as quick as later ones.
  for (const name of [...tables.map((table) => table.name), ...TOLD])
    await dataSource.query(`VACUUM (ANALYZE) ${name}`);
}

/** Where comments stand, each of which comes after what it answers. */
function placesOf(
  comments: readonly { readonly id: string; readonly parentId: string | null }[],
  deepest: number,
): Map<string, ThreadPlace & { id: string }> {
  const places = new Map<string, ThreadPlace & { id: string }>();
  for (const { id, parentId } of comments)
    places.set(id, { id, ...placeUnder(parentId === null ? null : places.get(parentId)!, deepest) });
  return places;
}

/** The developer's own fields, made up: the same every time. */
function withOwnFields(table: Table, model: OwnFields): Table {
  const fields = fieldsOf(model, table.name as ModelTableName);
  const columns = Object.fromEntries(fields.map(({ name, kind }) => [columnOf(name), columnType(kind)]));
  const rows = table.rows.map((row, i) => {
    const making = { chance: new Chance(OWN_FIELDS_SEED, i), serial: i + 1 };
    return [...row, ...fields.map((field) => makeValue(field, making))];
  });
  return { ...table, columns: { ...table.columns, ...columns }, rows };
}

function insert(manager: EntityManager, { name, columns }: Table, rows: unknown[][]): Promise<unknown> {
  const names = Object.keys(columns);
  const arrays = Object.values(columns).map((type, i) => `$${i + 1}::${type}[]`);
  const values = names.map((_, i) => rows.map((row) => row[i]));
  return manager.query(`INSERT INTO ${name} (${names.join(', ')}) SELECT * FROM unnest(${arrays.join(', ')})`, values);
}

/** Ends whatever sessions demo users have: a service that is no demo does not accept them. */
export async function endDemoSessions(dataSource: DataSource): Promise<number> {
  const [, ended] = await dataSource.query<[unknown[], number]>(`
    UPDATE sessions s SET ended_at = clock_timestamp()
    FROM credentials c WHERE c.user_id = s.user_id AND c.demo AND s.ended_at IS NULL`);
  return ended;
}
