/** What an act did to a row. */
export type RowAct = 'inserted' | 'changed' | 'deleted';

/** The values of a row that anybody may look at, by their columns. */
export type RowValues = Readonly<Record<string, unknown>>;

/** A row that a call inserted, changed or deleted, as the database said. */
export interface RowChange {
  readonly table: string;
  /** Its primary key, as the Model page takes it; null where that is not public. */
  key: string | null;
  readonly act: RowAct;
  /** Null for a row that was inserted. */
  readonly before: RowValues | null;
  /** Null for a row that was deleted. */
  readonly after: RowValues | null;
  /** Columns whose value is another now; also those that are masked. */
  readonly changed: readonly string[];
  /** Columns of the row that are not public: their values were never kept. */
  readonly masked: readonly string[];
  /** What did it where it was not the statement itself: `function add_counts`, `foreign key comments_post_id_fkey`. */
  by: string | null;
  /** Which statement of the call, counted from 0. */
  readonly statement: number;
  /** Whether it was taken back: its transaction, or the part of it, was rolled back. */
  undone: boolean;
}

/** A statement that a call sent to the database. */
export interface StatementTrace {
  /** The text, with `$1` for what was sent along. */
  readonly text: string;
  /** The capability whose code sent it; null where that is not known. */
  readonly capability: string | null;
  /** What was sent along, by kind alone: values are never kept. */
  readonly parameters: readonly string[];
  /** Milliseconds from the start of the call. */
  readonly at: number;
  /** Milliseconds that it took; null for one whose answer never came. */
  ms: number | null;
  /** Rows that it returned or wrote; null where the database does not say. */
  rows: number | null;
  /** Rows that it and what follows from it inserted, changed and deleted. */
  changed: number;
  /** Which transaction of the call, counted from 1; null for one that commits by itself. */
  readonly transaction: number | null;
  /** How many calls it was sent for together. */
  readonly shared: number;
  /** SQLSTATE of its failure; null where it did not fail. */
  error: string | null;
}

/** How many rows of one table a call inserted, changed and deleted, without those taken back. */
export interface RowCounts {
  inserted: number;
  changed: number;
  deleted: number;
}

/** A remark that a reviewer would make of a call. */
export interface TraceWarning {
  readonly kind: 'repeated' | 'scan' | 'no-limit' | 'apart' | 'reads-more';
  /** What is so, as a sentence. */
  readonly says: string;
  /** The statements that it is about. */
  readonly statements: readonly number[];
}

/** Whose call it was. */
export interface TraceCaller {
  readonly kind: 'nobody' | 'user' | 'operator';
  readonly id: string | null;
  readonly handle: string | null;
}

/** The record of one call. */
export interface Trace {
  readonly id: string;
  readonly startedAt: string;
  readonly method: string;
  /** The route, as the API document writes its path. */
  readonly route: string;
  readonly operationId: string | null;
  /** The path that was called, with what is no id masked. */
  readonly path: string;
  readonly caller: TraceCaller;
  /** Null for a call that was cut off before it was answered. */
  readonly status: number | null;
  /** The kind of problem that it was answered; null for a good reply. */
  readonly problem: string | null;
  readonly ms: number;
  /** W3C trace context: the trace that it belongs to, and the span of who called. */
  readonly traceId: string;
  readonly parentId: string | null;
  /** Whether all that it did was rolled back on purpose. */
  readonly rehearsed: boolean;
  readonly statements: readonly StatementTrace[];
  /** Statements beyond those that are kept. */
  readonly moreStatements: number;
  readonly rows: readonly RowChange[];
  /** Rows beyond those that are kept. */
  readonly moreRows: number;
  /** How many rows of each table, those beyond too. */
  readonly counts: Readonly<Record<string, RowCounts>>;
  readonly warnings: readonly TraceWarning[];
}

/** What a foreign key demands of rows when those that they refer to are deleted. */
export interface ForeignKey {
  readonly name: string;
  readonly table: string;
  readonly columns: readonly string[];
  readonly refersTo: string;
  readonly referenced: readonly string[];
}

/**
 * Says of rows that foreign keys took along which key it was: the database tells of such a row after the one that it referred to, and of no
 * function that did it. Changes the rows in place.
 */
export function nameForeignKeys(rows: readonly RowChange[], keys: readonly ForeignKey[]): void {
  rows.forEach((row, n) => {
    if (row.by !== null || row.before === null) return;
    const followed = keys.find(({ table, columns, refersTo, referenced }) => {
      if (table !== row.table) return false;
      return rows.slice(0, n).some((other) => {
        if (other.statement !== row.statement || other.act !== 'deleted' || other.table !== refersTo) return false;
        // What is masked on either side is not known to be unlike.
        return columns.every((column, i) => {
          const [mine, theirs] = [row.before![column], other.before?.[referenced[i]!]];
          return mine === undefined || theirs === undefined || mine === theirs;
        });
      });
    });
    if (followed) row.by = `foreign key ${followed.name}`;
  });
}

/** How many rows a call changed in all. */
export const rowsChanged = (counts: Trace['counts']): number =>
  Object.values(counts).reduce((sum, { inserted, changed, deleted }) => sum + inserted + changed + deleted, 0);
