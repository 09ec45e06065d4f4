/** Something that should never be found in the data. */
export interface DataCheck {
  /** Short and unique; what `--json` calls it. */
  readonly name: string;
  /** What it means when there are findings. */
  readonly means: string;
  /** Yields a row for each finding: `id` (text), `found` and `should` (text). */
  readonly sql: string;
  /** Statements that mend it, in one transaction, for the ids ($1) that were found; none where nothing can. */
  readonly repair?: readonly string[];
  /** Tells the findings among the rows that the statement yields, where SQL cannot. */
  readonly wrong?: (found: string) => boolean;
  /** Reads whole tables, so it is looked for after all that do not. */
  readonly recounts?: true;
}

/** Rows that refer to one which is not there. Cost: one pass over both tables. */
export const orphans = (table: string, column: string, parent: string): DataCheck => ({
  name: `${table}-without-${column.replace(/_id$/, '')}`,
  means: `rows of ${table} whose ${column} names no row of ${parent}`,
  sql: `SELECT t.${column}::text AS id, 'no such row' AS found, 'a row of ${parent}' AS should FROM ${table} t LEFT JOIN ${parent} p ON p.id = t.${column} WHERE t.${column} IS NOT NULL AND p.id IS NULL`,
});
