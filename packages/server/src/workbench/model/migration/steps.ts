import {
  answerTo,
  columnRule,
  COPIABLE,
  covers,
  pathOf,
  type Answer,
  type Answers,
  type Change,
  type Field,
} from '@gather-lane/core';
import { quoted } from '../../../ground/fields/field-columns.js';
import { changeType } from './change-type.js';
import { columnSql, convertSql, nearestSql, objectsOf, valueSql } from './column-sql.js';
import { alter, atOnce, batches, beside, holdRule, mendMisfits, proveRule } from './drafts.js';
import type { Draft, Phase, Step } from './step.js';
import { columnType } from '../../../ground/fields/column-type.js';

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

type Answered = (kind: Parameters<typeof answerTo>[1]) => Answer | undefined;
type Maker = (change: Change, answered: Answered) => Draft[];

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
