import type { FieldDef } from 'pg';
import type { DataSource, EntityManager } from 'typeorm';
import { isDatabaseGone } from '../database/gone.js';
import { inTransaction, sqlState } from '../database/transaction.js';

/** Where the functions are. */
const SCHEMA = 'gather_lane_plans';
/** What yields rows of nothing is there to lock them. */
const YIELDS_NOTHING = /^\s*SELECT\s+FROM\b/i;
/** A function is gone, or yields something else since a column changed. */
const NO_MORE = ['42883', '3F000', '42804'];

/** A function cannot be replaced by one that yields another type. */
const YIELDS_ANOTHER_TYPE = '42P13';

/** A column that a statement yields. */
type Column = Pick<FieldDef, 'name' | 'dataTypeID'>;

/**
 * Functions that run statements which matter by a plan that is made once on each connection of the server. Behind a pooler that hands out
 * connections by transactions nothing can be prepared by name, and a statement without a name is planned each time, which costs as much as
 * running it. A function keeps the plans of its statements for as long as the server's connection lives.
 *
 * They are made once a statement has been answered, for then it is known what it yields, on a connection past the pooler; until then, and
 * where that is not allowed, the statement is sent as it is.
 */
export class PlanFunctions {
  readonly #direct: DataSource;
  readonly #failed: (error: unknown) => void;
  /** Texts that call functions, by the statements; null for one that has none, or not yet. */
  readonly #calls = new Map<string, string | null>();
  #making: Promise<void> = Promise.resolve();

  /**
   * @param direct connections past the pooler
   * @param failed is told once why none can be made
   */
  constructor(direct: DataSource, failed: (error: unknown) => void) {
    this.#direct = direct;
    this.#failed = failed;
  }

  /** The text that calls the function of a statement; null where there is none, or not yet. */
  callOf(sql: string): string | null {
    return this.#calls.get(sql) ?? null;
  }

  /** A statement was answered: its function is made, if that was not tried before. @param name under which it would be prepared */
  answered(sql: string, name: string, yields: readonly Column[]): void {
    if (this.#calls.has(sql)) return;
    this.#calls.set(sql, null);
    if (yields.length > 0 || YIELDS_NOTHING.test(sql))
      this.#making = this.#making.then(() => this.#make(sql, name, yields));
  }

  /** Whether the call of a function failed since that is not what it was: the statement is to be sent as it is, and the function made anew. */
  isGone(sql: string, error: unknown): boolean {
    if (!NO_MORE.includes((error as { code?: string }).code ?? '')) return false;
    this.#calls.delete(sql);
    return true;
  }

  /** What was asked for is made. */
  async settled(): Promise<void> {
    await this.#making;
  }

  async #make(sql: string, name: string, yields: readonly Column[]): Promise<void> {
    try {
      this.#calls.set(sql, await inTransaction(this.#direct, (manager) => makeFunction(manager, sql, name, yields)));
    } catch (error) {
      // Where the database went away, it is tried again with the next answer.
      if (isDatabaseGone(error)) this.#calls.delete(sql);
      else this.#failed(error);
    }
  }
}

/** Makes a function anew. @returns a text that calls it */
async function makeFunction(
  manager: EntityManager,
  sql: string,
  name: string,
  yields: readonly Column[],
): Promise<string> {
  // Of services that start together each makes the same.
  await manager.query(`SELECT pg_advisory_xact_lock(hashtext('gather-lane plans'))`);
  const takes = await parametersOf(manager, sql);
  const [{ types }] = await manager.query<[{ types: string[] }]>(
    `SELECT array(SELECT format_type(id, NULL) FROM unnest($1::oid[]) WITH ORDINALITY t (id, n) ORDER BY n) AS types`,
    [yields.map(({ dataTypeID }) => dataTypeID)],
  );
  const body = yields.length > 0 ? sql : sql.replace(/SELECT/i, 'SELECT 1');
  const columns = (yields.length > 0 ? types : ['integer']).map((type, i) => `c${i} ${type}`);
  const of = `${SCHEMA}.${name}`;
  await manager.query(`CREATE SCHEMA IF NOT EXISTS ${SCHEMA}`);
  const make = () =>
    manager.query(`
    CREATE OR REPLACE FUNCTION ${of} (${takes.join(', ')}) RETURNS TABLE (${columns.join(', ')})
    LANGUAGE plpgsql SET plan_cache_mode = force_generic_plan AS $function$
    #variable_conflict use_column
    BEGIN RETURN QUERY ${body}; END $function$`);
  // Replaced rather than dropped: another service may be calling it.
  await manager.query(`SAVEPOINT replacing`);
  await make().catch(async (error: unknown) => {
    if (sqlState(error) !== YIELDS_ANOTHER_TYPE) throw error;
    await manager.query(`ROLLBACK TO SAVEPOINT replacing`);
    await manager.query(`DROP FUNCTION ${of} (${takes.join(', ')})`);
    await make();
  });
  const shown = yields.map((column, i) => `c${i} AS "${column.name}"`).join(', ');
  return `SELECT ${shown} FROM ${of}(${takes.map((type, i) => `$${i + 1}::${type}`).join(', ')})`;
}

/** The types of a statement's parameters, as the database finds them. */
async function parametersOf(manager: EntityManager, sql: string): Promise<string[]> {
  await manager.query(`PREPARE gather_lane_probe AS ${sql}`);
  const [row] = await manager.query<[{ types: string[] }]>(
    `SELECT parameter_types::text[] AS types FROM pg_prepared_statements WHERE name = 'gather_lane_probe'`,
  );
  await manager.query(`DEALLOCATE gather_lane_probe`);
  return row.types;
}
