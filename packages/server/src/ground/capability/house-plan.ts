import type { DataCheck } from './data-check.js';
import type { CapabilityTable, EntityClass, Exported } from './table.js';
import type { OwnedThing, Trials } from './trial.js';

/** A table that an export holds. */
export interface ExportedTable extends Exported {
  readonly name: string;
  readonly order: string;
}

/** What all capabilities say together. */
export interface HousePlan {
  readonly entities: readonly EntityClass[];
  readonly ownFields: Readonly<Record<string, EntityClass>>;
  readonly tables: Readonly<Record<string, CapabilityTable>>;
  /** Those that read no whole tables first. */
  readonly checks: readonly DataCheck[];
  readonly trials: Trials;
  readonly things: readonly OwnedThing[];
  /** Parents before children. */
  readonly exported: readonly ExportedTable[];
}
