import {
  answerTo,
  columnRule,
  columnType,
  COPIABLE,
  covers,
  pathOf,
  type Answer,
  type Answers,
  type Change,
  type Field,
  type FieldRule,
} from '@gather-lane/core';
import { quoted } from '../field-columns.js';
import {
  columnSql,
  convertSql,
  fitsSql,
  literal,
  nearestSql,
  nextColumnOf,
  objectsOf,
  ruleSql,
  valueSql,
} from './column-sql.js';

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

/** What takes an interrupted change of type away that is not wanted any more. */
export function forget(table: Field['table'], column: string): Step {
  const keeper = quoted(`keep_${table}_${column}`);
  const statements = [
    `DROP TRIGGER IF EXISTS ${keeper} ON ${table}`,
    `DROP FUNCTION IF EXISTS ${keeper}()`,
    alter(table, `DROP COLUMN IF EXISTS ${quoted(column)}`),
  ];
  const field = `${table}.${column}`;
  return {
    field,
    table,
    wanted: null,
    ...atOnce('expand', 'throw away what an interrupted change left', ...statements),
  };
}

/** The steps of a change, with the answers that were given to its hazards. */
export function stepsOf(change: Change, answers: Answers): Step[] {
  const path = pathOf(change);
  return STEPS[change.kind](change, (kind) => answerTo(change, kind, answers)).map((step) => ({
    field: path,
    table: change.table,
    wanted: change.field,
    ...step,
  }));
}

type Draft = Pick<Step, 'phase' | 'does' | 'work'>;
type Answered = (kind: Parameters<typeof answerTo>[1]) => Answer | undefined;
type Maker = (change: Change, answered: Answered) => Draft[];

const atOnce = (phase: Phase, does: string, ...statements: string[]): Draft => ({
  phase,
  does,
  work: { way: 'at-once', statements },
});
const beside = (phase: Phase, does: string, statement: string, index?: string): Draft => ({
  phase,
  does,
  work: { way: 'beside', statement, ...(index && { index }) },
});
const batches = (phase: Phase, does: string, set: string, where: string): Draft => ({
  phase,
  does,
  work: { way: 'batches', set, where },
});

const alter = (table: string, ...actions: string[]): string => `ALTER TABLE ${table} ${actions.join(', ')}`;
const remember = (table: string, name: string, rule: FieldRule): string =>
  `COMMENT ON CONSTRAINT ${quoted(name)} ON ${table} IS ${literal(JSON.stringify(rule))}`;

/** Adds the rule of a field's column for new rows; it is proved for the others afterwards. */
function holdRule(field: Field): string[] {
  const [rule, objects] = [columnRule(field), objectsOf(field)];
  const drop = `DROP CONSTRAINT IF EXISTS ${quoted(objects.rule)}`;
  if (!rule) return [alter(field.table, drop)];
  const check = ruleSql(rule, columnSql(field), columnType(field.kind));
  return [
    alter(field.table, drop, `ADD CONSTRAINT ${quoted(objects.rule)} CHECK (${check}) NOT VALID`),
    remember(field.table, objects.rule, rule),
  ];
}

const proveRule = (phase: Phase, field: Field): Draft[] =>
  columnRule(field)
    ? [
        beside(
          phase,
          'prove the rule for every row',
          alter(field.table, `VALIDATE CONSTRAINT ${quoted(objectsOf(field).rule)}`),
        ),
      ]
    : [];

/** The value that an answer puts in place of one that does not fit. */
function mendSql(field: Field, answer: Answer | undefined, expression: string): string {
  if (answer === 'nearest') return nearestSql(field, expression);
  if (typeof answer === 'object' && 'constant' in answer) return valueSql(field, answer.constant);
  return 'NULL';
}

function mendMisfits(phase: Phase, field: Field, answer: Answer | undefined): Draft[] {
  if (answer === undefined) return [];
  const column = columnSql(field);
  return [
    batches(
      phase,
      'mend the values that do not fit',
      `${column} = ${mendSql(field, answer, column)}`,
      `NOT (${fitsSql(field, column)})`,
    ),
  ];
}

const STEPS: Record<Change['kind'], Maker> = {
  'add-field': ({ field }) => {
    const { table } = field!;
    const given =
      field!.default === null
        ? ''
        : ` DEFAULT ${valueSql(field!, field!.default)}${field!.required ? ' NOT NULL' : ''}`;
    return [
      atOnce(
        'expand',
        'add the column',
        alter(table, `ADD COLUMN IF NOT EXISTS ${columnSql(field!)} ${columnType(field!.kind)}${given}`),
        ...(columnRule(field!) ? holdRule(field!) : []),
      ),
      ...proveRule('expand', field!),
    ];
  },

  'drop-field': (change) => [
    atOnce(
      'contract',
      'drop the column with its rules and indexes',
      alter(change.table, `DROP COLUMN IF EXISTS ${columnSql(change)}`),
    ),
  ],

  'change-rule': ({ field, present }, answered) => {
    const phase = covers(columnRule(field!), present?.rule ?? null) && present?.rule ? 'expand' : 'contract';
    const mend = mendMisfits(phase, field!, answered('values-do-not-fit'));
    return [
      ...mend,
      atOnce(phase, 'hold new rows to the rule', ...holdRule(field!)),
      ...mend,
      ...proveRule(phase, field!),
    ];
  },

  'prove-rule': ({ field }, answered) => [
    ...mendMisfits('expand', field!, answered('values-do-not-fit')),
    ...proveRule('expand', field!),
  ],

  'require': ({ field }, answered) => {
    const { table } = field!;
    const [column, given] = [columnSql(field!), quoted(objectsOf(field!).given)];
    const fill = (phase: Phase) => backfill(phase, field!, answered('rows-without-value'));
    return [
      ...fill('expand'),
      atOnce(
        'contract',
        'refuse new rows without a value',
        alter(
          table,
          `DROP CONSTRAINT IF EXISTS ${given}`,
          `ADD CONSTRAINT ${given} CHECK (${column} IS NOT NULL) NOT VALID`,
        ),
      ),
      // What came in without a value since the first fill, by services that did not know the field.
      ...fill('contract'),
      beside('contract', 'prove that every row has a value', alter(table, `VALIDATE CONSTRAINT ${given}`)),
      atOnce(
        'contract',
        'require it',
        alter(table, `ALTER COLUMN ${column} SET NOT NULL`),
        alter(table, `DROP CONSTRAINT ${given}`),
      ),
    ];
  },

  'make-optional': ({ field }) => [
    atOnce(
      'expand',
      'let it be empty',
      alter(
        field!.table,
        `ALTER COLUMN ${columnSql(field!)} DROP NOT NULL`,
        `DROP CONSTRAINT IF EXISTS ${quoted(objectsOf(field!).given)}`,
      ),
    ),
  ],

  'change-default': ({ field }) => [
    atOnce(
      'expand',
      'change the default of new rows',
      alter(
        field!.table,
        `ALTER COLUMN ${columnSql(field!)} ${field!.default === null ? 'DROP DEFAULT' : `SET DEFAULT ${valueSql(field!, field!.default)}`}`,
      ),
    ),
  ],

  'make-unique': ({ field }, answered) => {
    const index = objectsOf(field!).unique;
    return [
      ...parted(field!, answered('values-repeat')),
      beside(
        'contract',
        'build the unique index',
        `CREATE UNIQUE INDEX CONCURRENTLY ${quoted(index)} ON ${field!.table} (${columnSql(field!)})`,
        index,
      ),
    ];
  },

  'allow-repeats': (change) => [
    beside('expand', 'drop the unique index', `DROP INDEX CONCURRENTLY IF EXISTS ${quoted(objectsOf(change).unique)}`),
  ],

  'add-index': ({ field }) => {
    const { index } = objectsOf(field!);
    return [
      beside(
        'expand',
        'build the index',
        `CREATE INDEX CONCURRENTLY ${quoted(index)} ON ${field!.table} (${columnSql(field!)})`,
        index,
      ),
    ];
  },

  'drop-index': (change) => [
    beside('expand', 'drop the index', `DROP INDEX CONCURRENTLY IF EXISTS ${quoted(objectsOf(change).index)}`),
  ],

  'add-reference': ({ field }, answered) => {
    const { table } = field!;
    const [column, name] = [columnSql(field!), quoted(objectsOf(field!).reference)];
    const empty =
      answered('orphans') === undefined
        ? []
        : [
            batches(
              'contract',
              'empty what names nobody',
              `${column} = NULL`,
              `${column} IS NOT NULL AND NOT EXISTS (SELECT FROM users u WHERE u.id = ${table}.${column})`,
            ),
          ];
    return [
      ...empty,
      atOnce(
        'contract',
        'let new rows refer to users only',
        alter(
          table,
          `DROP CONSTRAINT IF EXISTS ${name}`,
          `ADD CONSTRAINT ${name} FOREIGN KEY (${column}) REFERENCES users (id) ON DELETE SET NULL NOT VALID`,
        ),
      ),
      ...empty,
      beside('contract', 'prove the reference for every row', alter(table, `VALIDATE CONSTRAINT ${name}`)),
    ];
  },

  'change-type': (change, answered) => changeType(change.field!, answered('values-do-not-fit'), answered('orphans')),
};

/** How rows without a value get one. */
function backfill(phase: Phase, field: Field, answer: Answer | undefined): Draft[] {
  if (typeof answer !== 'object') return [];
  const column = columnSql(field);
  const does = 'fill the rows that have no value';
  if ('make' in answer) return [{ phase, does, work: { way: 'made', maker: answer.make } }];
  if ('constant' in answer)
    return [batches(phase, does, `${column} = ${valueSql(field, answer.constant)}`, `${column} IS NULL`)];
  const source = COPIABLE[field.table].includes(answer.column)
    ? quoted(answer.column)
    : columnSql({ name: answer.column });
  const converted = nearestSql(field, convertSql(source, columnType(field.kind)));
  return [batches(phase, does, `${column} = ${converted}`, `${column} IS NULL AND ${converted} IS NOT NULL`)];
}

/** What tells values apart that repeat: the oldest row keeps its own. */
function parted(field: Field, answer: Answer | undefined): Draft[] {
  if (answer !== 'number' && answer !== 'keep-first') return [];
  const column = columnSql(field);
  const most = columnRule(field)?.maxLength ?? 0;
  const numbered = `left(t.${column}, ${most} - char_length(' ' || r.n)) || ' ' || r.n`;
  return [
    {
      phase: 'contract',
      does: answer === 'number' ? 'number the values that repeat' : 'empty the values that repeat, but for the oldest',
      work: {
        way: 'until-none',
        statement: `UPDATE ${field.table} t SET ${column} = ${answer === 'number' ? numbered : 'NULL'} FROM (SELECT id, row_number() OVER (PARTITION BY ${column} ORDER BY created_at, id) AS n FROM ${field.table} WHERE ${column} IS NOT NULL) r WHERE r.id = t.id AND r.n > 1`,
      },
    },
  ];
}

/** The body of a function, in a quote that does not occur in it: values of an enum may hold anything. */
function body(text: string): string {
  let tag = '$$';
  for (let n = 1; text.includes(tag); n++) tag = `$b${n}$`;
  return `${tag} ${text} ${tag}`;
}

/**
 * A new type is built in a column beside the old one, kept in step by a trigger, and takes its place in one short
 * transaction. An ALTER of the type would rewrite the whole table while nobody may read it. Columns are written with
 * their table: a subquery on users has one of the same name nearer by.
 */
function changeType(field: Field, answer: Answer | undefined, orphans: Answer | undefined): Draft[] {
  const { table } = field;
  const type = columnType(field.kind);
  const [from, next] = [columnSql(field), quoted(nextColumnOf(field.name))];
  const keeper = quoted(`keep_${table}_${nextColumnOf(field.name)}`);
  const value = (row: string) => {
    const converted = convertSql(`${row}${from}`, type);
    const known = orphans === undefined ? converted : `(SELECT u.id FROM users u WHERE u.id = ${converted})`;
    const mended = `CASE WHEN ${fitsSql(field, converted)} THEN ${known} WHEN ${row}${from} IS NOT NULL THEN ${mendSql(field, answer, converted)} END`;
    return answer === undefined ? known : mended;
  };
  return [
    atOnce(
      'expand',
      'add a column of the new type beside it',
      alter(table, `ADD COLUMN IF NOT EXISTS ${next} ${type}`),
    ),
    atOnce(
      'expand',
      'keep both in step',
      `CREATE OR REPLACE FUNCTION ${keeper}() RETURNS trigger LANGUAGE plpgsql AS ${body(`BEGIN NEW.${next} := ${value('NEW.')}; RETURN NEW; END`)}`,
      `CREATE OR REPLACE TRIGGER ${keeper} BEFORE INSERT OR UPDATE ON ${table} FOR EACH ROW EXECUTE FUNCTION ${keeper}()`,
    ),
    batches(
      'expand',
      'convert the values',
      `${next} = ${value(`${table}.`)}`,
      `${next} IS DISTINCT FROM ${value(`${table}.`)}`,
    ),
    atOnce(
      'contract',
      'put the new column in the place of the old',
      `DROP TRIGGER IF EXISTS ${keeper} ON ${table}`,
      `DROP FUNCTION IF EXISTS ${keeper}()`,
      alter(table, `DROP COLUMN ${from}`),
      alter(table, `RENAME COLUMN ${next} TO ${from}`),
      ...(field.default === null
        ? []
        : [alter(table, `ALTER COLUMN ${from} SET DEFAULT ${valueSql(field, field.default)}`)]),
      ...holdRule(field),
    ),
    ...proveRule('contract', field),
  ];
}
