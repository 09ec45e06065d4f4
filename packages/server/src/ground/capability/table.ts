import type { Querying } from '../database/hot-transaction.js';

/** A class that TypeORM maps. */
export type EntityClass = new () => object;

/** What is to be known of a table by those who look at all of them. */
export interface CapabilityTable {
  /** Columns that anybody may look at. What is not named is masked, so a column that is added is, until somebody thinks. */
  readonly shown: readonly string[];
  /** Columns whose values leave the database for nobody. */
  readonly secret?: readonly string[];
  /** How an export holds it; left out for what triggers derive, and for secrets of one running service. */
  readonly exported?: Exported;
  /** Whether starting over leaves it as it is: the rows are not what people made. */
  readonly stays?: true;
  /** Whether `fill` brings rows into it, so that its statistics are made afresh. */
  readonly filled?: true;
}

/** A row as an export holds it. */
export type ExportedRow = Readonly<Record<string, unknown>>;

/** How an export holds a table. */
export interface Exported {
  readonly key: readonly string[];
  /** An order in which every row comes after those that it refers to; by the key unless said. */
  readonly order?: string;
  /** A column that refers to a table which comes later: filled once that is in. */
  readonly afterwards?: { readonly column: string; readonly refersTo: string };
  /** Columns that triggers keep from other rows: left out of exports, and made anew where these are imported. */
  readonly derived?: readonly string[];
  /** What an older version let in and this one does not, put right. */
  readonly mend?: (row: Record<string, unknown>) => Record<string, unknown>;
  /** What of a row is other here than where it was exported. */
  readonly here?: Readonly<Record<string, unknown>>;
  /** What of rows is worked out anew from what is here already, before they are written. */
  readonly anew?: (database: Querying, rows: readonly ExportedRow[]) => Promise<readonly ExportedRow[]>;
  /**
   * Where said, two batches are read in at a time, and counted once they are all there: by statements that take these columns of the rows that
   * were made, each as an array; one for what is kept of them alone, and one for what both batches move.
   */
  readonly counted?: { readonly by: readonly string[]; readonly own?: string; readonly shared: string };
  /** Tables whose rows it is worked out from, besides those that come first anyway. */
  readonly after?: readonly string[];
  /**
   * Where said, the tables that it is read in after, beside all others: none of the others refers to it, or is counted on rows that it is
   * counted on, for which each would wait for the other's.
   */
  readonly onlyAfter?: readonly string[];
}
