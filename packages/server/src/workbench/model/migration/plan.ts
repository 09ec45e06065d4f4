import {
  answerFault,
  answerTo,
  tolerates,
  changesBetween,
  COPIABLE,
  hazardsOf,
  isNeededFirst,
  pathOf,
  unanswered,
  type Answers,
  type Change,
  type Hazard,
  type OwnFields,
  type PresentField,
} from '@gather-lane/core';
import type { DataSource, EntityManager } from 'typeorm';
import { presentFields, unfinishedColumns } from './catalogue.js';
import { nextColumnOf } from './column-sql.js';
import { factsOf } from './facts.js';
import { liveServices, type Live } from './live.js';
import { forget } from './change-type.js';
import { stepAsSql, type Step } from './step.js';
import { stepsOf } from './steps.js';
import { columnType } from '../../../ground/fields/column-type.js';

/** A change with what stands in its way and how it would be done. */
export interface PlannedChange {
  readonly change: Change;
  readonly hazards: readonly Hazard[];
  /** Hazards that nobody has answered. */
  readonly open: readonly Hazard[];
  /** What is wrong with answers, as sentences. */
  readonly faults: readonly string[];
  readonly steps: readonly Step[];
  /** Running services that do not bear it: its contracting steps wait for them. */
  readonly waitsFor: readonly Live[];
}

/** What a migration would do. */
export interface Plan {
  readonly present: readonly PresentField[];
  readonly changes: readonly PlannedChange[];
  /** What an interrupted migration left behind that is of no use any more. */
  readonly leftovers: readonly Step[];
}

/** Compares the model with the columns that are there, and looks at the rows for what would go wrong. */
export async function planMigration(
  database: DataSource | EntityManager,
  wanted: OwnFields,
  answers: Answers,
): Promise<Plan> {
  const present = await presentFields(database);
  const services = await liveServices(database);
  const changes: PlannedChange[] = [];
  for (const change of changesBetween(present, wanted)) {
    const hazards = hazardsOf(change, await factsOf(database, change));
    const faults = hazards.flatMap((hazard) => {
      const answer = answerTo(change, hazard.kind, answers);
      const fault =
        answer === undefined ? null : (answerFault(change, hazard, answer) ?? sourceFault(change, answer, present));
      return fault ? [fault] : [];
    });
    changes.push({
      change,
      hazards,
      open: unanswered(change, hazards, answers),
      faults: [...faults],
      steps: stepsOf(change, answers),
      waitsFor: services.filter(({ model }) => !tolerates(model, change)),
    });
  }
  return { present, changes, leftovers: await leftovers(database, changes) };
}

function sourceFault(change: Change, answer: unknown, present: readonly PresentField[]): string | null {
  if (typeof answer !== 'object' || answer === null || !('column' in answer)) return null;
  const name = String(answer.column);
  const known = [
    ...COPIABLE[change.table],
    ...present.filter(({ table }) => table === change.table).map((field) => field.name),
  ];
  return known.includes(name) && name !== change.name
    ? null
    : `${pathOf(change)}: there is no column ${name} to copy from; there is ${known.filter((other) => other !== change.name).join(', ')}.`;
}

async function leftovers(database: DataSource | EntityManager, changes: PlannedChange[]): Promise<Step[]> {
  const wanted = (table: string, column: string, type: string) =>
    changes.some(
      ({ change }) =>
        change.kind === 'change-type' &&
        change.table === table &&
        nextColumnOf(change.name) === column &&
        columnType(change.field!.kind) === type,
    );
  const left = await unfinishedColumns(database);
  return left
    .filter(({ table, column, type }) => !wanted(table, column, type))
    .map(({ table, column }) => forget(table, column));
}

/** A plan for other programs: changes, hazards, the SQL of the steps. */
export function planAsJson({ changes, leftovers }: Plan) {
  return {
    changes: changes.map(({ change, hazards, open, faults, steps, waitsFor }) => ({
      field: pathOf(change),
      kind: change.kind,
      holds: change.field?.kind ?? null,
      sentence: change.sentence,
      hazards: hazards.map((hazard) => ({
        ...hazard,
        examples: [...hazard.examples],
        ways: [...hazard.ways],
        open: open.includes(hazard),
      })),
      faults: [...faults],
      steps: steps.map((step) => ({ phase: step.phase, does: step.does, sql: stepAsSql(step) })),
      waitsFor: waitsFor.map(({ host, pid, startedAt }) => ({ host, pid, startedAt: startedAt.toISOString() })),
    })),
    leftovers: leftovers.map((step) => ({ field: step.field, does: step.does, sql: stepAsSql(step) })),
  };
}

/** How the model stands to the database, for a service that runs by it. */
export type ModelState =
  /** The columns are what the model says. */
  | 'current'
  /** All columns are there: what is left to do makes rules stricter, which a service of this model bears. */
  | 'workable'
  /** Columns are missing or of another type. */
  | 'behind';

/** How the columns that are there stand to a model. Cost: some milliseconds. */
export async function modelState(database: DataSource | EntityManager, model: OwnFields): Promise<ModelState> {
  const changes = changesBetween(await presentFields(database), model);
  if (changes.length === 0) return 'current';
  return changes.some(isNeededFirst) ? 'behind' : 'workable';
}
