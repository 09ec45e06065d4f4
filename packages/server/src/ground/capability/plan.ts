import type { Capability } from './capability.js';
import type { HousePlan } from './house-plan.js';

/**
 * Gathers what the capabilities say.
 * @throws Error where two say something of the same table or operation
 */
export function planOf(capabilities: readonly Capability[]): HousePlan {
  const tables = together(capabilities.map((each) => each.tables ?? {}));
  const checks = capabilities.flatMap((each) => each.checks ?? []);
  return {
    entities: capabilities.flatMap((each) => each.entities ?? []),
    ownFields: together(capabilities.map((each) => each.ownFields ?? {})),
    tables,
    checks: [...checks.filter((check) => !check.recounts), ...checks.filter((check) => check.recounts)],
    trials: together(capabilities.map((each) => each.trials ?? {})),
    things: capabilities.flatMap((each) => each.things ?? []),
    exported: exportedOf(tables),
  };
}

/** In the order of the capabilities, but what a table is to come after before it. */
function exportedOf(tables: HousePlan['tables']): HousePlan['exported'] {
  const order = new Set<string>();
  const add = (name: string): void => {
    tables[name]?.exported?.after?.forEach(add);
    order.add(name);
  };
  Object.keys(tables).forEach(add);
  return [...order].flatMap((name) => {
    const how = tables[name]?.exported;
    return how ? [{ order: how.key.join(', '), ...how, name }] : [];
  });
}

function together<T>(records: readonly Readonly<Record<string, T>>[]): Record<string, T> {
  const all: Record<string, T> = {};
  for (const [name, value] of records.flatMap((record) => Object.entries(record))) {
    if (name in all) throw new Error(`Two capabilities speak of ${name}.`);
    all[name] = value;
  }
  return all;
}
