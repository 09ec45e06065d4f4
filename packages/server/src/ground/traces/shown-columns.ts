import { columnOf, type OwnFields } from '@gather-lane/core';
import type { HousePlan } from '../capability/house-plan.js';
import type { IsShown } from './told-rows.js';

/** Every weighting has a table of standings, all alike. */
const sharedName = (table: string): string => table.replace(/^standings_\d+$/, 'standings');

/** How a column's values are shown. */
export type Showing = 'shown' | 'masked' | 'secret';

/** How a column is shown to whoever looks at rows: what nobody thought of is masked. */
export function showingOf(plan: HousePlan, model: OwnFields, table: string, column: string): Showing {
  const { shown = [], secret = [] } = plan.tables[sharedName(table)] ?? {};
  if (secret.includes(column)) return 'secret';
  const own = model.find((field) => field.table === table && columnOf(field.name) === column);
  return (own ? own.audience === 'anyone' : shown.includes(column)) ? 'shown' : 'masked';
}

/** Which columns anybody may look at, looked up once each. */
export function shownIn(plan: HousePlan, model: OwnFields): IsShown {
  const known = new Map<string, Map<string, boolean>>();
  return (table, column) => {
    let columns = known.get(table);
    if (!columns) known.set(table, (columns = new Map()));
    let shown = columns.get(column);
    if (shown === undefined) columns.set(column, (shown = showingOf(plan, model, table, column) === 'shown'));
    return shown;
  };
}
