/** What one act costs, as it was measured. */
export interface ActCost {
  /** Processor time of the service, in milliseconds. */
  readonly service: number;
  /** Processor time of the primary, in milliseconds. */
  readonly primary: number;
  /** Processor time that a standby can take over, in milliseconds; 0 for what writes. */
  readonly standby: number;
  /** Log, in bytes. */
  readonly log: number;
  /** Disk that stays, with indexes, in bytes. */
  readonly disk: number;
}

/** What people do. */
export const ACTS = ['pages', 'posts', 'comments', 'reactions', 'follows'] as const;
export type Act = (typeof ACTS)[number];

/** What is to be served. */
export interface Demand {
  /** How often a day. */
  readonly perDay: Readonly<Record<Act, number>>;
  /** How much more there is in the busiest hour than on average. */
  readonly peak: number;
  /** For how long what is made is kept, in days. */
  readonly keptDays: number;
}

/** A machine, and how much of it is to be used. */
export interface Machine {
  readonly cores: number;
  /** How much quicker a core of it is than that on which was measured. */
  readonly speed: number;
  /** How busy it may be in the busiest hour, from 0 to 1: above that calls wait for each other. */
  readonly busyAtMost: number;
  /** How much log a server writes and sends on, in bytes a second. */
  readonly logPerSecond: number;
}

/** How much of something is needed in the busiest hour, and how much of it a machine has. */
export interface Load {
  readonly what: 'service' | 'primary, with pages' | 'primary, pages at standbys' | 'log';
  /** Cores, or bytes a second. */
  readonly needed: number;
  readonly has: number;
}

/** What it takes to serve a demand. */
export interface Capacity {
  /** How often a second in the busiest hour. */
  readonly perSecond: Readonly<Record<Act, number>>;
  /** That which one machine has too little of first, before that which it has more of. */
  readonly loads: readonly Load[];
  readonly processes: number;
  readonly standbys: number;
  /** How many primaries, each with the posts of some authors: one as long as it holds all that writes. */
  readonly shards: number;
  readonly logPerDay: number;
  readonly disk: number;
}

const DAY_S = 86_400;

/**
 * What it takes to serve a demand: straight sums of what each act costs, as operational analysis has it (utilisation is the rate times
 * the demand of each call). What waits for what is not in it, nor what grows with the data.
 */
export function capacityFor(demand: Demand, costs: Readonly<Record<Act, ActCost>>, machine: Machine): Capacity {
  const perSecond = Object.fromEntries(ACTS.map((act) => [act, (demand.perDay[act] / DAY_S) * demand.peak])) as Record<
    Act,
    number
  >;
  const sum = (of: (act: Act) => number) => ACTS.reduce((total, act) => total + of(act), 0);
  const cores = (of: (cost: ActCost) => number) =>
    sum((act) => (perSecond[act] * of(costs[act])) / 1000) / machine.speed;
  const has = machine.cores * machine.busyAtMost;
  const loads: Load[] = [
    { what: 'service', needed: cores(({ service }) => service), has },
    { what: 'primary, with pages', needed: cores(({ primary, standby }) => primary + standby), has },
    { what: 'primary, pages at standbys', needed: cores(({ primary }) => primary), has },
    { what: 'log', needed: sum((act) => perSecond[act] * costs[act].log), has: machine.logPerSecond },
  ];
  const [service, whole, spared, log] = loads as [Load, Load, Load, Load];
  const together = whole.needed <= has;
  const read = cores(({ standby }) => standby);
  return {
    perSecond,
    loads: [...loads].sort((a, b) => b.needed / b.has - a.needed / a.has),
    processes: Math.max(1, Math.ceil(service.needed / machine.busyAtMost)),
    standbys: together ? 0 : Math.max(1, Math.ceil(read / has)),
    shards: Math.max(1, Math.ceil(spared.needed / has), Math.ceil(log.needed / log.has)),
    logPerDay: sum((act) => demand.perDay[act] * costs[act].log),
    disk: sum((act) => demand.perDay[act] * costs[act].disk) * demand.keptDays,
  };
}

const FACTORS: Record<string, number> = { '': 1, 'k': 1e3, 'M': 1e6, 'G': 1e9, 'T': 1e12 };

/** Reads a count such as `50M` or `1.5k`. @returns null for what is none */
export function readCount(text: string): number | null {
  const [, digits, factor = ''] = /^(\d{1,15}(?:\.\d{1,6})?)([kMGT])?$/.exec(text.trim()) ?? [];
  return digits === undefined ? null : Number(digits) * FACTORS[factor]!;
}
