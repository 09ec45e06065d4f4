import type { Pool } from 'pg';
import type { DataSource } from 'typeorm';

/** How the connections of a pool are used. */
export interface PoolUse {
  readonly name: string;
  readonly used: number;
  readonly idle: number;
  /** How many wait for one. */
  readonly waiting: number;
  readonly most: number;
}

/** The pools of a data source: of connections that prepare statements, and of all others. */
export function poolsOf(dataSource: DataSource, name: string): PoolUse[] {
  const { hot } = dataSource as DataSource & { readonly hot?: Pool };
  const { master } = dataSource.driver as typeof dataSource.driver & { readonly master?: Pool };
  return [...(hot ? [useOf(hot, `${name}, prepared`)] : []), ...(master ? [useOf(master, name)] : [])];
}

const useOf = ({ totalCount, idleCount, waitingCount, options }: Pool, name: string): PoolUse => ({
  name,
  used: totalCount - idleCount,
  idle: idleCount,
  waiting: waitingCount,
  most: options.max,
});
