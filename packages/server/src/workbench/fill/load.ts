import {
  CannotMake,
  Fill,
  FILL_INSTANTS,
  DEMO_PASSWORD,
  type Batch,
  type Authors,
  type FillRequest,
  type OwnFields,
  type TableRows,
} from '@gather-lane/core';
import type { PoolClient } from 'pg';
import type { DataSource, QueryRunner } from 'typeorm';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import { copyRows } from '../../ground/database/copy.js';
import { NOT_FOR_EVER, signal, Succession } from '../../ground/database/succession.js';
import { refuseRealAccounts } from './real-accounts.js';
import { underLock } from '../../ground/database/under-lock.js';
import { modelState } from '../model/migration/plan.js';
import { hashPassword } from '../../accounts/sessions/passwords.js';
import { COUNT_FOLLOWS, COUNT_LATER, COUNT_MADE_OWN, COUNT_MADE_SHARED } from '../../ranking/tallies/made.js';
import { liveStandings } from '../../ranking/weighting/in-force.js';
import { TOLD, tellAnew } from '../../notifications/telling/tell-anew.js';
import { READING } from '../../posts/reading/service.js';
import { FillRun } from './fill-run.entity.js';

/** Held by the one fill that is under way. */
const FILLING = `hashtext('gather-lane fill')`;
/** At most so many of the users who are there write the posts of a fill that makes none of its own. */
const MOST_CAST = 500_000;
const HOUR_MS = 3_600_000;
/** Who was told of what in the last days, and how long ago they looked: what is older is swept sooner or later, and would take as long as all the rows. */
const [TOLD_MS, UNSEEN_MS] = [48 * HOUR_MS, 12 * HOUR_MS];

/** A fill that cannot be done; the message says why. */
export class FillRefused extends Error {
  override readonly name = 'FillRefused';
}

/** What somebody asks of a fill. */
export type FillOrder = Omit<FillRequest, 'run' | 'now'>;

/** What a fill has done so far. */
export interface FillProgress {
  readonly phase: string;
  readonly batch: number;
  readonly batches: number;
  readonly rows: number;
}

/** What a fill brought in. */
export interface FillResult {
  readonly run: number;
  readonly rows: Record<string, number>;
}

/**
 * Fills the database with made-up people and what they write: whole batches, each in a transaction of its own.
 * @param order what to make, or `again` to go on with the last fill that was interrupted
 * @throws FillRefused, RealAccounts
 */
export async function fill(
  dataSource: DataSource,
  order: FillOrder | 'again',
  options: {
    plan: HousePlan;
    amongReal: boolean;
    model: OwnFields;
    /** How many comments one can stand under. */
    deepest?: number;
    progress: (at: FillProgress) => void;
  },
): Promise<FillResult> {
  const { model, deepest } = options;
  if (!options.amongReal) await refuseRealAccounts(dataSource);
  if ((await modelState(dataSource, model)) === 'behind')
    throw new FillRefused('The model file has fields that the tables do not have yet: gather-lane model migrate.');
  const work = async (runner: QueryRunner) => {
    const run = order === 'again' ? await lastUnfinished(dataSource) : await begin(dataSource, order, model);
    const maker = await makerOf(dataSource, run, model, deepest);
    const second = dataSource.createQueryRunner();
    try {
      return await load([runner, second], run, maker, options);
    } finally {
      await second.release();
    }
  };
  return underLock(dataSource, FILLING, work, () => {
    throw new FillRefused('Another fill is under way on this database: wait for it, or stop it.');
  });
}

async function begin(dataSource: DataSource, order: FillOrder, model: OwnFields): Promise<FillRun> {
  const run = dataSource.manager.create(FillRun, { ...order, kinds: [...order.kinds], batches: 0 });
  await dataSource.manager.save(run);
  const saved = await dataSource.manager.findOneByOrFail(FillRun, { id: run.id });
  try {
    saved.batches = (await makerOf(dataSource, saved, model)).batches;
  } catch (error) {
    await dataSource.manager.delete(FillRun, { id: saved.id });
    throw error;
  }
  return dataSource.manager.save(saved);
}

async function lastUnfinished(dataSource: DataSource): Promise<FillRun> {
  const [run] = await dataSource.manager
    .createQueryBuilder(FillRun, 'r')
    .where('r.done < r.batches')
    .orderBy('r.id', 'DESC')
    .limit(1)
    .getMany();
  if (!run) throw new FillRefused('There is no interrupted fill to go on with.');
  return run;
}

async function makerOf(
  dataSource: DataSource,
  { id, startedAt, batches: _, done: __, ...run }: FillRun,
  model: OwnFields,
  deepest?: number,
): Promise<Fill> {
  const { users, posts } = run;
  const there =
    users > 0 ? [] : await dataSource.query<{ id: string }[]>(`SELECT id FROM users ORDER BY id LIMIT ${MOST_CAST}`);
  const cast: Authors = { size: there.length, idAt: (index) => there[index]!.id };
  if (users === 0 && posts > 0 && there.length === 0)
    throw new FillRefused('There is nobody who could post: make users too (--users 50).');
  return new Fill({ ...run, run: id, now: startedAt.getTime() }, cast, model, deepest);
}

/** How a batch is counted once all of it is there. */
interface Counting {
  /** What is kept of its rows alone: beside the batch before. */
  own?(runner: QueryRunner): Promise<unknown>;
  /** What both batches move: once the one before is committed. */
  shared(runner: QueryRunner): Promise<unknown>;
}

/** Nothing for people, who are counted as they come in. */
function countingOf(batch: Batch): Counting | null {
  const [first] = batch;
  const column = (at: number) => first!.rows.map((row) => row[at]);
  if (first?.table === 'follows') return { shared: (runner) => runner.query(COUNT_FOLLOWS, [column(0), column(1)]) };
  if (first?.table !== 'posts') return null;
  const ids = column(0);
  return {
    own: (runner) => runner.query(COUNT_MADE_OWN, [ids]),
    shared: (runner) => runner.query(COUNT_MADE_SHARED, [ids]),
  };
}

/**
 * Loads batch after batch, each committed after the one before. While what both move is counted of one on one connection, the next of its
 * kind is copied on the other, and counted as far as it is of its own: posts refer to none of a batch before, people do, and are checked once
 * that is committed.
 */
async function load(
  runners: readonly QueryRunner[],
  run: FillRun,
  maker: Fill,
  { plan, progress }: { plan: HousePlan; progress: (at: FillProgress) => void },
): Promise<FillResult> {
  const rows: Record<string, number> = {};
  let total = 0;
  const passwordHash = await hashPassword(DEMO_PASSWORD);
  const brought = (index: number, batch: Batch) => {
    for (const { table, rows: made } of batch) rows[table] = (rows[table] ?? 0) + made.length;
    total += batch.reduce((sum, { rows: made }) => sum + made.length, 0);
    progress({ phase: maker.phase(index), batch: index + 1, batches: maker.batches, rows: total });
  };
  const batches = new Succession();
  try {
    for (let index = run.done; index < maker.batches; index++) {
      const runner = runners[index % runners.length]!;
      const batch = make(maker, index);
      const counting = countingOf(batch);
      // What refers to rows of the batch before waits until these are committed.
      if (maker.phase(index) !== maker.phase(index - 1)) await batches.ended;
      const [before, sent] = [batches.ended, signal()];
      await runner.startTransaction();
      batches.begin(async ({ preceding, own }) => {
        try {
          await orBack(runner, async () => {
            await runner.query(NOT_FOR_EVER);
            if (counting) await runner.query(COUNT_LATER);
            const copied = (): Promise<void> => (sent.give(), counting ? Promise.resolve() : preceding);
            await copyBatch(runner, batch, (table) => maker.columns(table), passwordHash, copied);
            await own(async () => counting?.own?.(runner));
            await preceding;
            await counting?.shared(runner);
            await runner.query(`UPDATE fill_runs SET done = $2 WHERE id = $1`, [run.id, index + 1]);
            await runner.commitTransaction();
          });
        } finally {
          sent.give();
        }
        brought(index, batch);
      });
      await sent.given;
      await before;
    }
  } finally {
    await batches.ended;
  }
  const begun = run.startedAt.getTime();
  progress({ phase: 'vacuum and statistics', batch: maker.batches, batches: maker.batches, rows: total });
  // Fresh statistics and visibility, so that the first pages are as quick as later ones, and so is what comes of the rows.
  const filled = Object.entries(plan.tables).flatMap(([name, table]) => (table.filled ? [name] : []));
  const [{ manager }] = runners as [QueryRunner];
  await vacuum(runners, [...filled, ...(await liveStandings(manager))]);
  await tellAnew(manager, new Date(begun - TOLD_MS), new Date(begun - UNSEEN_MS));
  await vacuum(runners, TOLD);
  return { run: run.id, rows };
}

/** Each connection takes the next table that none has taken. */
async function vacuum(runners: readonly QueryRunner[], tables: readonly string[]): Promise<void> {
  const left = tables.values();
  const some = async (runner: QueryRunner) => {
    for (const table of left) await runner.query(`VACUUM (ANALYZE) ${table}`);
  };
  await Promise.all(runners.map(some));
}

function make(maker: Fill, index: number): Batch {
  try {
    return maker.batch(index);
  } catch (error) {
    throw error instanceof CannotMake ? new FillRefused(error.message) : error;
  }
}

async function copyBatch(
  runner: QueryRunner,
  batch: Batch,
  columnsOf: (table: TableRows['table']) => string[],
  passwordHash: string,
  sent: () => Promise<void>,
): Promise<void> {
  const client = (await runner.connect()) as PoolClient;
  for (const { table, rows } of batch) {
    const columns = columnsOf(table);
    const instants = columns.map((name) => FILL_INSTANTS.has(name));
    const extra = table === 'credentials' ? { password_hash: passwordHash } : isText(table) ? { reading: READING } : {};
    const [names, values] = [Object.keys(extra), Object.values(extra)];
    const first = table === batch[0]?.table;
    await copyRows(client, table, [...columns, ...names], withInstants(rows, instants, values), first ? sent : null);
  }
}

/** Does something in the transaction of a connection, which is taken back where it fails. */
async function orBack(runner: QueryRunner, work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (error) {
    await runner.rollbackTransaction().catch(() => undefined);
    throw error;
  }
}

const isText = (table: TableRows['table']): boolean => table === 'posts' || table === 'comments';

function* withInstants(rows: TableRows['rows'], instants: boolean[], extra: unknown[]): Generator<unknown[]> {
  for (const row of rows)
    yield [...row.map((value, i) => (instants[i] ? new Date(value as number).toISOString() : value)), ...extra];
}

/**
 * Starts over: takes every user and all that they made away, at once.
 * @throws RealAccounts unless told that it may
 */
export async function empty(dataSource: DataSource, options: { plan: HousePlan; amongReal: boolean }): Promise<void> {
  if (!options.amongReal) await refuseRealAccounts(dataSource);
  const standings = await liveStandings(dataSource.manager);
  const made = Object.entries(options.plan.tables).flatMap(([name, { stays }]) => (stays ? [] : [name]));
  await dataSource.query(`TRUNCATE ${[...made, ...standings].join(', ')} RESTART IDENTITY`);
}
