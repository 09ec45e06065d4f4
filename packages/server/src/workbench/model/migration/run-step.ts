import { setTimeout as sleep } from 'node:timers/promises';
import { Chance, makeValue, type Field, type FieldValue, type Making } from '@gather-lane/core';
import type { DataSource, QueryRunner } from 'typeorm';
import { sqlState } from '../../../ground/database/transaction.js';
import { columnSql } from './column-sql.js';
import type { Step } from './step.js';
import { columnType } from '../../../ground/fields/column-type.js';

const BATCH = 2_000;
/** A statement that needs a lock asks for it only so long, or all that come after it would queue up behind it. */
const LOCK_TIMEOUT_MS = 1_500;
const LOCK_TRIES = 40;
const LOCK_NOT_AVAILABLE = '55P03';
const MOST_ROUNDS = 50;

/** A step that could not be carried out; the message says why. */
export class StepRefused extends Error {
  override readonly name = 'StepRefused';
}

/** Told what a step is waiting for. */
export type Waiting = (text: string) => void;

/** Carries a step out. @returns how many rows it changed, or null where it is not about rows */
export async function runStep(
  dataSource: DataSource,
  runner: QueryRunner,
  step: Step,
  waiting: Waiting,
): Promise<number | null> {
  const { work, table, wanted } = step;
  switch (work.way) {
    case 'at-once':
      await withLock(dataSource, runner, waiting, async () => {
        await runner.startTransaction();
        await runner.query(`SET LOCAL lock_timeout = ${LOCK_TIMEOUT_MS}`);
        for (const statement of work.statements) await runner.query(statement);
        await runner.commitTransaction();
      });
      return null;
    case 'beside':
      // An index whose building was interrupted stays behind, unusable, under the name of the right one.
      if (work.index) await runner.query(`DROP INDEX CONCURRENTLY IF EXISTS "${work.index}"`);
      await runner.query(work.statement);
      return null;
    case 'batches':
      return inBatches(runner, table, work.where, (ids) =>
        changed(runner, `UPDATE ${table} SET ${work.set} WHERE id = ANY ($1) AND (${work.where})`, [ids]),
      );
    case 'made':
      return makeUp(runner, wanted!, work.maker);
    case 'until-none': {
      let total = 0;
      for (let round = 0; round < MOST_ROUNDS; round++) {
        const rows = await changed(runner, work.statement);
        if (rows === 0) return total;
        total += rows;
      }
      throw new StepRefused(
        `Values of ${step.field} still repeat after ${MOST_ROUNDS} rounds: they leave too little room for a number.`,
      );
    }
  }
}

async function changed(runner: QueryRunner, sql: string, parameters: unknown[] = []): Promise<number> {
  const [, rows] = (await runner.query(sql, parameters)) as [unknown[], number];
  return rows;
}

/** Tries again while somebody else holds the lock, and says who. */
async function withLock(
  dataSource: DataSource,
  runner: QueryRunner,
  waiting: Waiting,
  work: () => Promise<void>,
): Promise<void> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await work();
    } catch (error) {
      if (runner.isTransactionActive) await runner.rollbackTransaction();
      if (sqlState(error) !== LOCK_NOT_AVAILABLE) throw error;
      const holders = await longTransactions(dataSource);
      if (attempt === LOCK_TRIES)
        throw new StepRefused(
          `The lock was not to be had in ${LOCK_TRIES} tries${holders}: end what holds it, and run this again.`,
        );
      waiting(`waiting for a lock${holders}`);
      await sleep(200 + Math.random() * 600);
    }
  }
}

async function longTransactions(dataSource: DataSource): Promise<string> {
  const rows = await dataSource.query<{ pid: number; name: string; seconds: number }[]>(
    `SELECT pid, application_name AS name, extract(epoch FROM clock_timestamp() - xact_start)::integer AS seconds
     FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND xact_start < clock_timestamp() - interval '1 second'
     ORDER BY xact_start LIMIT 3`,
  );
  const said = rows.map(
    ({ pid, name, seconds }) => `${name || 'a session'} (process ${pid}, in a transaction for ${seconds} s)`,
  );
  return said.length > 0 ? `; open now: ${said.join(', ')}` : '';
}

/** Walks the rows that a condition is true of, in id order; each batch is a transaction of its own. */
async function inBatches(
  runner: QueryRunner,
  table: string,
  where: string,
  work: (ids: string[]) => Promise<number>,
): Promise<number> {
  let [after, total] = ['00000000-0000-0000-0000-000000000000', 0];
  for (;;) {
    const rows = (await runner.query(
      `SELECT id FROM ${table} WHERE id > $1 AND (${where}) ORDER BY id LIMIT ${BATCH}`,
      [after],
    )) as { id: string }[];
    if (rows.length === 0) return total;
    const ids = rows.map(({ id }) => id);
    total += await work(ids);
    after = ids.at(-1)!;
  }
}

/** Makes values up for rows that have none; for a unique field, ones that no other row has. */
async function makeUp(runner: QueryRunner, field: Field, maker: string): Promise<number> {
  const column = columnSql(field);
  const { table } = field;
  const [{ n }] = (await runner.query(`SELECT count(${column})::integer AS n FROM ${table}`)) as [{ n: number }];
  let serial = n;
  return inBatches(runner, table, `${column} IS NULL`, async (ids) => {
    const people = table === 'users' ? 't.name' : '(SELECT u.name FROM users u WHERE u.id = t.author_id)';
    const rows = (await runner.query(
      `SELECT t.id, ${people} AS person FROM ${table} t WHERE t.id = ANY ($1) ORDER BY t.id`,
      [ids],
    )) as {
      id: string;
      person: string;
    }[];
    const made = await freeValues(
      runner,
      { ...field, required: true, maker },
      rows.map(({ id, person }) => ({
        chance: new Chance(Number.parseInt(id.slice(-8), 16)),
        serial: ++serial,
        person,
      })),
    );
    return changed(
      runner,
      `UPDATE ${table} t SET ${column} = m.value::${columnType(field.kind)} FROM unnest($1::uuid[], $2::text[]) AS m (id, value) WHERE m.id = t.id AND t.${column} IS NULL`,
      [rows.map(({ id }) => id), made.map(String)],
    );
  });
}

/** A value for each; of a unique field, the plain one where nobody has it yet, and otherwise one with a number. */
async function freeValues(runner: QueryRunner, field: Field, makings: Making[]): Promise<FieldValue[]> {
  if (!field.unique || field.kind !== 'string') return makings.map((making) => makeValue(field, making));
  const plain = makings.map((making) => makeValue({ ...field, unique: false }, { ...making }) as string);
  const numbered = plain.map((value, i) => withNumber(value, makings[i]!.serial, field));
  const rows = (await runner.query(
    `SELECT ${columnSql(field)} AS value FROM ${field.table} WHERE ${columnSql(field)} = ANY ($1)`,
    [[...plain, ...numbered]],
  )) as { value: string }[];
  const taken = new Set(rows.map(({ value }) => value));
  return plain.map((value, i) => {
    let chosen = taken.has(value) ? numbered[i]! : value;
    for (let n = 1; taken.has(chosen); n++) chosen = withNumber(value, makings[i]!.serial * 100 + n, field);
    taken.add(chosen);
    return chosen;
  });
}

function withNumber(value: string, n: number, { rule }: Field): string {
  const end = `${/\s/.test(value) ? ' ' : '_'}${n}`;
  return [...value].slice(0, (rule.maxLength ?? Number.POSITIVE_INFINITY) - end.length).join('') + end;
}
