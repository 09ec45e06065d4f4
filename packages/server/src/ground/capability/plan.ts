import type { Capability, EntityClass, OwnedThing } from './capability.js';
import type { DataCheck } from './data-check.js';
import type { CapabilityTable, Exported } from './table.js';
import type { Trials } from './trial.js';

/** A table that an export holds. */
export interface ExportedTable extends Exported {
  readonly name: string;
  readonly order: string;
}

/** What all capabilities say together. */
export interface HousePlan {
  readonly capabilities: readonly Capability[];
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

/**
 * Gathers what the capabilities say.
 * @throws Error where two say something of the same table or operation
 */
export function planOf(capabilities: readonly Capability[]): HousePlan {
  const tables = together(capabilities.map((each) => each.tables ?? {}));
  const checks = capabilities.flatMap((each) => each.checks ?? []);
  const exported = Object.entries(tables).flatMap(([name, { exported: how }]) =>
    how ? [{ order: how.key.join(', '), ...how, name }] : [],
  );
  return {
    capabilities,
    entities: capabilities.flatMap((each) => each.entities ?? []),
    ownFields: together(capabilities.map((each) => each.ownFields ?? {})),
    tables,
    checks: [...checks.filter((check) => !check.recounts), ...checks.filter((check) => check.recounts)],
    trials: together(capabilities.map((each) => each.trials ?? {})),
    things: capabilities.flatMap((each) => each.things ?? []),
    exported,
  };
}

function together<T>(records: readonly Readonly<Record<string, T>>[]): Record<string, T> {
  const all: Record<string, T> = {};
  for (const [name, value] of records.flatMap((record) => Object.entries(record))) {
    if (name in all) throw new Error(`Two capabilities speak of ${name}.`);
    all[name] = value;
  }
  return all;
}
