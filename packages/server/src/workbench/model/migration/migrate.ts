import { pathOf, type Answers, type OwnFields } from '@gather-lane/core';
import type { DataSource, QueryRunner } from 'typeorm';
import { sqlState } from '../../../ground/database/transaction.js';
import { underLock } from '../../../ground/database/under-lock.js';
import { ModelMigration, ModelStep } from '../model-migration.entity.js';
import { HEARTBEAT_MS, type Live } from './live.js';
import { planMigration, type Plan, type PlannedChange } from './plan.js';
import { runStep, StepRefused } from './run-step.js';
import { stepAsSql, type Step } from './step.js';
import { wayAsTyped } from './way-as-typed.js';

const MIGRATING = `hashtext('gather-lane model migration')`;

/** A migration that is not done; the message says why, and what to do. */
export class MigrationRefused extends Error {
  override readonly name = 'MigrationRefused';

  constructor(
    message: string,
    /** Changes with hazards that nobody has answered, if that is why. */
    readonly open: readonly PlannedChange[] = [],
  ) {
    super(message);
  }
}

/** What a migration is told while it runs. */
export interface MigrationOptions {
  readonly answers: Answers;
  /** Fields whose data may be lost, by path. */
  readonly drop: readonly string[];
  /** Wait for another migration that is under way, rather than refuse. */
  readonly wait?: boolean;
  readonly progress?: (step: Step, of: { readonly n: number; readonly total: number }) => void;
  readonly waiting?: (text: string) => void;
  /** Told the number of the migration in the journal as soon as it has one. */
  readonly begun?: (id: number) => void;
}

/** What a migration did. */
export interface MigrationResult {
  /** Its number in the journal; null when there was nothing to do. */
  readonly id: number | null;
  readonly steps: number;
  /** Changes that wait until services of an older model are gone. */
  readonly waiting: readonly { readonly change: string; readonly services: readonly Live[] }[];
}

/**
 * Brings the columns to a model: everything that running services bear first, then what they might not. Each step is
 * one that may be done again, so a migration that was killed is finished by running it once more; the answers that it
 * was given are remembered.
 * @throws MigrationRefused, before anything is done, when a hazard is not answered
 */
export function migrateModel(
  dataSource: DataSource,
  wanted: OwnFields,
  options: MigrationOptions,
): Promise<MigrationResult> {
  return alone(dataSource, options.wait ?? false, async (runner) =>
    migrate(dataSource, runner, await prepareMigration(dataSource, wanted, options), options),
  );
}

/** Which way a migration goes: to a model, or back to where the last one began. */
export type Destination = OwnFields | 'back';

/**
 * What {@link migrateModel} or {@link migrateBack} would do now, given the same.
 * @throws MigrationRefused when there is nothing to take back
 */
export async function previewMigration(
  dataSource: DataSource,
  to: Destination,
  given: Pick<MigrationOptions, 'answers' | 'drop'>,
): Promise<Plan> {
  return (await prepareMigration(dataSource, to, given)).plan;
}

/** A migration with everything that it needs to know before it does anything. */
interface Prepared {
  readonly plan: Plan;
  readonly wanted: OwnFields;
  readonly answers: Answers;
  readonly undoes: number | null;
  readonly last: ModelMigration | null;
  readonly unfinished: ModelMigration | null;
}

async function prepareMigration(
  dataSource: DataSource,
  to: Destination,
  given: Pick<MigrationOptions, 'answers' | 'drop'>,
): Promise<Prepared> {
  const last = await latest(dataSource);
  const unfinished = last && last.state !== 'done' ? last : null;
  const undone = to === 'back' ? await lastDone(dataSource) : null;
  if (to === 'back' && !undone) throw new MigrationRefused('There is no migration to take back.');
  const wanted = to === 'back' ? undone!.before : to;
  const answers = mergeAnswers(unfinished?.answers ?? {}, given);
  const plan = await planMigration(dataSource, wanted, answers);
  return { plan, wanted, answers, undoes: undone?.id ?? null, last, unfinished };
}

/** What going back did, beside its steps. */
export interface BackResult extends MigrationResult {
  /** The model that the tables have now. */
  readonly model: OwnFields;
  /** Fields that are there again without what they held: that went with their columns. */
  readonly bare: readonly string[];
}

/**
 * Takes the last migration back: to the model that it began from. Refused like any other where data would be lost.
 * @throws MigrationRefused
 */
export function migrateBack(dataSource: DataSource, options: MigrationOptions): Promise<BackResult> {
  return alone(dataSource, false, async (runner) => {
    const prepared = await prepareMigration(dataSource, 'back', options);
    const result = await migrate(dataSource, runner, prepared, options);
    const added = prepared.plan.changes.filter(({ change }) => change.kind === 'add-field');
    return { ...result, model: prepared.wanted, bare: added.map(({ change }) => pathOf(change)) };
  });
}

/** The latest migration that is done and was not taken back. */
async function lastDone(dataSource: DataSource): Promise<ModelMigration | null> {
  return dataSource.manager
    .createQueryBuilder(ModelMigration, 'm')
    .where(`m.state IN ('done', 'waiting') AND m.undoes IS NULL`)
    .andWhere(`NOT EXISTS (SELECT FROM model_migrations u WHERE u.undoes = m.id AND u.state IN ('done', 'waiting'))`)
    .orderBy('m.id', 'DESC')
    .limit(1)
    .getOne();
}

/** Alone on the database; a second one waits or is refused. */
function alone<T>(dataSource: DataSource, wait: boolean, work: (runner: QueryRunner) => Promise<T>): Promise<T> {
  const refuseSecond = (): never => {
    throw new MigrationRefused(
      'Another migration of the model is under way on this database: wait until it has ended.',
    );
  };
  return underLock(dataSource, MIGRATING, work, wait ? undefined : refuseSecond);
}

async function migrate(
  dataSource: DataSource,
  runner: QueryRunner,
  { plan, wanted, answers, undoes, last, unfinished }: Prepared,
  options: MigrationOptions,
): Promise<MigrationResult> {
  refuse(plan);
  if (plan.changes.length === 0 && plan.leftovers.length === 0) {
    await close(dataSource, 'done', null);
    return { id: null, steps: 0, waiting: [] };
  }
  const id = await begin(dataSource, {
    wanted,
    answers,
    undoes,
    unfinished,
    before: (unfinished ? unfinished.before : last?.after) ?? [],
  });
  options.begun?.(id);
  try {
    const waiting = await carryOut(dataSource, runner, plan, id, options);
    const note = waiting.length > 0 ? describeWaiting(waiting) : null;
    await close(dataSource, waiting.length > 0 ? 'waiting' : 'done', note);
    const steps = await dataSource.manager.countBy(ModelStep, { migrationId: id });
    return { id, steps, waiting };
  } catch (error) {
    await close(dataSource, 'failed', (error as Error).message).catch(() => undefined);
    throw refusal(error) ?? error;
  }
}

/** What rows that came in meanwhile, or an answer that mended too little, can break. */
const BROKEN_RULES = ['23502', '23503', '23505', '23514'];

function refusal(error: unknown): MigrationRefused | null {
  if (error instanceof StepRefused) return new MigrationRefused(error.message);
  if (!BROKEN_RULES.includes(sqlState(error) ?? '')) return null;
  const { message, detail } = (error as { driverError: { message: string; detail?: string } }).driverError;
  return new MigrationRefused(
    `Rows stood in the way after all: ${[message, detail].filter(Boolean).join('. ')}\nWhat was done before is done. Look again with \`gather-lane model changes\`.`,
  );
}

const latest = (dataSource: DataSource): Promise<ModelMigration | null> =>
  dataSource.manager.createQueryBuilder(ModelMigration, 'm').orderBy('m.id', 'DESC').limit(1).getOne();

/** Answers of now win over those of the migration that was interrupted. */
function mergeAnswers(before: Answers, { answers, drop }: Pick<MigrationOptions, 'answers' | 'drop'>): Answers {
  const merged: Record<string, Answers[string]> = { ...before };
  for (const [path, given] of Object.entries(answers)) merged[path] = { ...merged[path], ...given };
  // Leave to lose data is given anew each time.
  for (const [path, { 'data-lost': _, ...rest }] of Object.entries(merged)) merged[path] = rest;
  for (const path of drop) merged[path] = { ...merged[path], 'data-lost': 'drop' };
  return merged;
}

function refuse({ changes }: Plan): void {
  const faults = changes.flatMap((planned) => planned.faults);
  if (faults.length > 0) throw new MigrationRefused(faults.join('\n'));
  const open = changes.filter((planned) => planned.open.length > 0);
  if (open.length === 0) return;
  const said = open.flatMap(({ change, open: hazards }) =>
    hazards.map(({ kind, sentence, ways }) => {
      const choice =
        ways.length > 0
          ? ` Choose: ${ways.map((way) => `${wayAsTyped(change, kind, way)} (${way.does})`).join(', or ')}.`
          : '';
      return `${pathOf(change)}: ${sentence}${choice}`;
    }),
  );
  throw new MigrationRefused(`Nothing was done, because of what the rows would suffer:\n${said.join('\n')}`, open);
}

interface Beginning {
  readonly wanted: OwnFields;
  readonly before: OwnFields;
  readonly answers: Answers;
  readonly undoes: number | null;
  readonly unfinished: ModelMigration | null;
}

/** Opens the journal; a migration that was interrupted on its way to the same model is gone on with. */
async function begin(
  dataSource: DataSource,
  { wanted, before, answers, undoes, unfinished }: Beginning,
): Promise<number> {
  const { manager } = dataSource;
  if (
    unfinished &&
    JSON.stringify(sorted(unfinished.after)) === JSON.stringify(sorted(wanted)) &&
    unfinished.undoes === undoes
  ) {
    await manager.update(
      ModelMigration,
      { id: unfinished.id },
      { state: 'running', answers, note: null, endedAt: null },
    );
    return unfinished.id;
  }
  if (unfinished)
    await manager.update(
      ModelMigration,
      { id: unfinished.id },
      { state: 'failed', note: 'Another model was wanted before it was finished.' },
    );
  const made = manager.create(ModelMigration, { before, after: wanted, answers, undoes });
  return (await manager.save(made)).id;
}

/** Keys in one order: jsonb does not keep the order in which they were written. */
const sorted = (value: unknown): unknown =>
  Array.isArray(value)
    ? value.map(sorted)
    : typeof value === 'object' && value !== null
      ? Object.fromEntries(
          Object.entries(value)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([key, child]) => [key, sorted(child)]),
        )
      : value;

async function close(dataSource: DataSource, state: ModelMigration['state'], note: string | null): Promise<void> {
  await dataSource.query(
    `UPDATE model_migrations SET state = $1, note = coalesce($2, note), ended_at = clock_timestamp()
     WHERE id = (SELECT max(id) FROM model_migrations) AND state <> 'done'`,
    [state, note],
  );
}

async function carryOut(
  dataSource: DataSource,
  runner: QueryRunner,
  plan: Plan,
  migrationId: number,
  { progress, waiting }: MigrationOptions,
): Promise<MigrationResult['waiting']> {
  const { steps, held } = inOrder(plan);
  let n = await dataSource.manager.countBy(ModelStep, { migrationId });
  for (const [i, step] of steps.entries()) {
    progress?.(step, { n: i + 1, total: steps.length });
    const entry = { migrationId, n: ++n, field: step.field, does: step.does, sql: stepAsSql(step).join(';\n') };
    await dataSource.manager.insert(ModelStep, entry);
    const rows = await runStep(dataSource, runner, step, (text) => waiting?.(`${step.field}: ${text}`));
    await dataSource.query(
      `UPDATE model_steps SET ended_at = clock_timestamp(), rows = $3 WHERE migration_id = $1 AND n = $2`,
      [migrationId, n, rows],
    );
  }
  return held.map(({ change, waitsFor }) => ({ change: change.sentence, services: waitsFor }));
}

/**
 * The steps in the order in which they are done: all that expands, then all that contracts. What follows a change of
 * type is about the new column, so it comes after it; a change that has to wait holds the later ones of its field up.
 */
export function inOrder({ changes, leftovers }: Plan): { steps: Step[]; held: PlannedChange[] } {
  const converted = new Set<string>();
  const waits = new Set<string>();
  const [expanding, contracting, held]: [Step[], Step[], PlannedChange[]] = [[], [], []];
  for (const planned of changes) {
    const path = pathOf(planned.change);
    const later = converted.has(path);
    const contracts = planned.steps.filter(({ phase }) => later || phase === 'contract');
    if (contracts.length > 0 && (planned.waitsFor.length > 0 || waits.has(path))) {
      waits.add(path);
      held.push(planned);
    } else contracting.push(...contracts);
    expanding.push(...planned.steps.filter((step) => !contracts.includes(step)));
    if (planned.change.kind === 'change-type') converted.add(path);
  }
  return { steps: [...leftovers, ...expanding, ...contracting], held };
}

/** Why the rest of a migration waits, and what to do about it. */
export function describeWaiting(waiting: MigrationResult['waiting']): string {
  const services = new Map(waiting.flatMap((held) => held.services.map((service) => [service.id, service])));
  const who = [...services.values()].map(({ host, pid }) => `process ${pid} on ${host}`).join(', ');
  return `${waiting.length === 1 ? 'One change waits' : `${waiting.length} changes wait`} for services that run by an older model (${who}): restart them with this model file, then run it again. A service that was killed counts as running for ${Math.ceil((4 * HEARTBEAT_MS) / 1000)} s.`;
}
