/** What a plan of PostgreSQL says of a statement. */
export interface PlanFacts {
  /** Tables that are read from end to end, with the number of their rows. */
  readonly scans: readonly { readonly table: string; readonly rows: number }[];
  /** Whether anything in it bounds how many rows come. */
  readonly limited: boolean;
  /** Rows that were looked at in tables; null where it was not run. */
  readonly looked: number | null;
  /** Rows that came of it; null where it was not run. */
  readonly returned: number | null;
}

/** A node of `EXPLAIN (FORMAT JSON)`, as far as it is read here. */
export interface PlanNode {
  readonly 'Node Type': string;
  readonly 'Relation Name'?: string;
  readonly 'Index Cond'?: string;
  readonly 'Plans'?: readonly PlanNode[];
  readonly 'Actual Rows'?: number;
  readonly 'Actual Loops'?: number;
  readonly 'Rows Removed by Filter'?: number;
  readonly 'Rows Removed by Index Recheck'?: number;
}

/**
 * Reads a plan.
 * @param sizes how many rows each table has
 */
export function planFacts(plan: PlanNode, sizes: Readonly<Record<string, number>>): PlanFacts {
  const nodes = [...within(plan)];
  const scans = nodes
    .filter((node) => node['Node Type'] === 'Seq Scan' && node['Relation Name'] !== undefined)
    .map((node) => ({ table: node['Relation Name']!, rows: sizes[node['Relation Name']!] ?? 0 }));
  const run = plan['Actual Rows'] !== undefined;
  return {
    scans: scans.filter(({ table }, i) => scans.findIndex((other) => other.table === table) === i),
    limited: nodes.some((node) => node['Node Type'] === 'Limit'),
    looked: run ? nodes.reduce((sum, node) => sum + lookedBy(node), 0) : null,
    returned: run ? plan['Actual Rows'] : null,
  };
}

function* within(node: PlanNode): Generator<PlanNode> {
  yield node;
  for (const child of node.Plans ?? []) yield* within(child);
}

/** Rows that a node takes from a table itself. */
function lookedBy(node: PlanNode): number {
  if (node['Relation Name'] === undefined) return 0;
  const removed = (node['Rows Removed by Filter'] ?? 0) + (node['Rows Removed by Index Recheck'] ?? 0);
  return ((node['Actual Rows'] ?? 0) + removed) * (node['Actual Loops'] ?? 1);
}
