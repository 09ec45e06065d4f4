import type { Field } from '@gather-lane/core';

/**
 * Expanding steps are ones that every running service bears. Contracting ones wait until no service is left that does
 * not bear them.
 */
export type Phase = 'expand' | 'contract';

/** How a step is carried out; each may be done again after being killed half-way. */
export type Work =
  /** Statements in one transaction, each short: they take a lock and let it go. */
  | { readonly way: 'at-once'; readonly statements: readonly string[] }
  /** A statement beside the work of others; it cannot be in a transaction. */
  | { readonly way: 'beside'; readonly statement: string; readonly index?: string }
  /** An update in batches by id, until nothing is left that it applies to. */
  | { readonly way: 'batches'; readonly set: string; readonly where: string }
  /** Values made up for rows that have none, in batches. */
  | { readonly way: 'made'; readonly maker: string }
  /** A statement that is run until it changes nothing more. */
  | { readonly way: 'until-none'; readonly statement: string };

/** A step of a migration. */
export interface Step {
  readonly field: string;
  readonly table: Field['table'];
  /** The field as it is wanted, for values that are made up. */
  readonly wanted: Field | null;
  readonly phase: Phase;
  /** What it does, in plain words. */
  readonly does: string;
  readonly work: Work;
}

/** A step as SQL to be read: what is done in batches is shown as the one statement that it adds up to. */
export function stepAsSql({ table, work }: Step): string[] {
  switch (work.way) {
    case 'at-once':
      return [...work.statements];
    case 'beside':
    case 'until-none':
      return [work.statement];
    case 'batches':
      return [`UPDATE ${table} SET ${work.set} WHERE ${work.where}`];
    case 'made':
      return [`-- made by "${work.maker}", in batches of rows that have no value`];
  }
}

/** A step before it is told whose it is. */
export type Draft = Pick<Step, 'phase' | 'does' | 'work'>;
