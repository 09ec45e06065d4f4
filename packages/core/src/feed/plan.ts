/** A step of a plan as PostgreSQL's EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) says it; only what is read here. */
export interface ExplainNode {
  readonly 'Node Type': string;
  readonly 'Relation Name'?: string;
  readonly 'Index Name'?: string;
  readonly 'CTE Name'?: string;
  readonly 'Subplan Name'?: string;
  readonly 'Actual Rows'?: number;
  readonly 'Actual Loops'?: number;
  readonly 'Actual Total Time'?: number;
  readonly 'Rows Removed by Filter'?: number;
  readonly 'Shared Hit Blocks'?: number;
  readonly 'Shared Read Blocks'?: number;
  readonly 'Plans'?: readonly ExplainNode[];
}

/** A step of a plan, with the work of all its loops. */
export interface PlanStep {
  /** `Index Only Scan on posts_recent` */
  readonly does: string;
  /** The named part of the statement that it makes, or null. */
  readonly part: string | null;
  /** How often it ran; 0 for one that was not needed. */
  readonly loops: number;
  /** Rows that it gave, over all loops. */
  readonly rows: number;
  /** Rows that it looked at and left out. */
  readonly removed: number;
  /** Milliseconds, over all loops, with what is below it. */
  readonly ms: number;
  /** Blocks of 8 kB that it read, with what is below it. */
  readonly blocks: number;
  readonly steps: readonly PlanStep[];
}

/** Reads a plan: times and rows over all loops, where EXPLAIN says them for one. */
export function readPlan(node: ExplainNode): PlanStep {
  const loops = node['Actual Loops'] ?? 0;
  const on = node['Index Name'] ?? node['Relation Name'] ?? node['CTE Name'];
  return {
    does: on === undefined ? node['Node Type'] : `${node['Node Type']} on ${on}`,
    part: node['Subplan Name']?.replace(/^CTE /, '') ?? null,
    loops,
    rows: Math.round((node['Actual Rows'] ?? 0) * loops),
    removed: Math.round((node['Rows Removed by Filter'] ?? 0) * loops),
    ms: Math.round((node['Actual Total Time'] ?? 0) * loops * 1000) / 1000,
    blocks: (node['Shared Hit Blocks'] ?? 0) + (node['Shared Read Blocks'] ?? 0),
    steps: (node.Plans ?? []).map(readPlan),
  };
}

/** A step and every one below it. */
export const allSteps = (step: PlanStep): PlanStep[] => [step, ...step.steps.flatMap(allSteps)];
