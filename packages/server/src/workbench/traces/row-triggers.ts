import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { HousePlan } from '../../ground/capability/house-plan.js';
import { underLock } from '../../ground/database/under-lock.js';
import { quoted } from '../../ground/fields/field-columns.js';
import { showingOf } from '../../ground/traces/shown-columns.js';
import { literal } from '../model/migration/column-sql.js';

const LOCK = `hashtext('gather-lane:row-triggers')`;
/** Sorts before the triggers of foreign keys, so that a row is told before what its end takes along. */
const TRIGGER = '0_trace';
/** Sort after triggers that write more for a statement: all is told together. */
const TELLER = '~trace_told';
/** Of versions before. */
const FORMER = '~trace_told_inserted';
/** Records of calls are none of what calls do. */
const OWN_TABLES = ['trace_processes', 'trace_questions', 'trace_answers', 'live_services', 'gather_lane_migrations'];

/** Tables with their columns, and what the trigger calls that each has. */
const TABLES = `
  SELECT c.relname AS name,
    (SELECT array_agg(a.attname::text ORDER BY a.attnum) FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped) AS columns,
    (SELECT p.proname || encode(t.tgargs, 'escape') FROM pg_trigger t JOIN pg_proc p ON p.oid = t.tgfoid WHERE t.tgrelid = c.oid AND t.tgname = '${TRIGGER}') AS does,
    EXISTS (SELECT FROM pg_trigger t WHERE t.tgrelid = c.oid AND t.tgname = '${TELLER}') AS told,
    EXISTS (SELECT FROM pg_trigger t WHERE t.tgrelid = c.oid AND t.tgname IN ('${TRIGGER}', '${TELLER}', '${FORMER}') AND t.tgqual IS NOT NULL) AS former
  FROM pg_class c WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace AND c.relname <> ALL ($1) ORDER BY c.relname`;

/** Whether a process that lives traces what calls do. */
const SOMEBODY_TRACES = `
  SELECT EXISTS (SELECT FROM trace_processes WHERE seen_at > clock_timestamp() - interval '15 seconds') AS some`;

interface TableRow {
  readonly name: string;
  readonly columns: readonly string[];
  /** What the trigger of its rows calls, with its argument; null where it has none. */
  readonly does: string | null;
  readonly told: boolean;
  /** Whether it has triggers with conditions, as versions before made them. */
  readonly former: boolean;
}

/**
 * Makes the triggers that tell of rows where somebody traces, and takes them away where nobody does: a service that traces nothing pays
 * nothing. What other services write meanwhile is told to nobody, and costs them 1 µs a row.
 * @returns whether anything was changed
 */
export function settleRowTriggers(
  dataSource: DataSource,
  plan: HousePlan,
  model: OwnFields,
  traces: boolean,
): Promise<boolean> {
  return underLock(
    dataSource,
    LOCK,
    async (runner) => {
      const tables = (await runner.query(TABLES, [OWN_TABLES])) as TableRow[];
      const [{ some }] = (await runner.query(SOMEBODY_TRACES)) as [{ some: boolean }];
      const steps = tables.flatMap((table) => (traces ? made(table, plan, model) : some ? [] : dropped(table)));
      if (steps.length === 0) return false;
      // Whoever writes waits for a step, so a step waits for nobody for long.
      await runner.query(`SET lock_timeout = '2s'`);
      try {
        for (const step of steps) await runner.query(step);
      } finally {
        await runner.query(`RESET lock_timeout`);
      }
      return true;
    },
    () => false,
  );
}

function made({ name, columns, does, told, former }: TableRow, plan: HousePlan, model: OwnFields): string[] {
  const hidden = columns.filter((column) => showingOf(plan, model, name, column) !== 'shown');
  const [call, known] =
    hidden.length === 0
      ? ['trace_plain_row()', 'trace_plain_row']
      : // The catalogue ends each argument with a NUL.
        [`trace_row(${literal(`{${hidden.join(',')}}`)})`, `trace_row{${hidden.join(',')}}\\000`];
  const steps = former ? [`DROP TRIGGER IF EXISTS "${FORMER}" ON ${quoted(name)}`] : [];
  const changed = `AFTER INSERT OR UPDATE OR DELETE ON ${quoted(name)}`;
  if (!told || former)
    steps.push(`CREATE OR REPLACE TRIGGER "${TELLER}" ${changed} FOR EACH STATEMENT EXECUTE FUNCTION trace_told()`);
  if (does !== known || former)
    steps.push(`CREATE OR REPLACE TRIGGER "${TRIGGER}" ${changed} FOR EACH ROW EXECUTE FUNCTION ${call}`);
  return steps;
}

function dropped({ name, does, told }: TableRow): string[] {
  const gone = [...(does === null ? [] : [TRIGGER]), ...(told ? [TELLER, FORMER] : [])];
  return gone.map((trigger) => `DROP TRIGGER IF EXISTS "${trigger}" ON ${quoted(name)}`);
}
