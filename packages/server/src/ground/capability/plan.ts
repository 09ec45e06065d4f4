import type { Capability } from './capability.js';
import type { HousePlan } from './house-plan.js';

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
