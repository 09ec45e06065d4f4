import { columnOf, describeField, heldAs, valueFault, type Field, type OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { presentFields } from '../model/migration/catalogue.js';
import { fitsSql, literal } from '../model/migration/column-sql.js';
import { quoted } from '../../ground/fields/field-columns.js';
import type { DataCheck } from '../../ground/capability/data-check.js';

/** What should not be in the developer's own fields: by the model file, whatever the columns' own rules say. */
export async function ownFieldChecks(dataSource: DataSource, model: OwnFields): Promise<DataCheck[]> {
  const present = await presentFields(dataSource);
  const there = model.filter((field) =>
    present.some(
      ({ table, name, type }) => table === field.table && name === field.name && type === heldAs(field.kind),
    ),
  );
  return there.flatMap(checksOf);
}

function checksOf(field: Field): DataCheck[] {
  const { table, name, kind, pattern, required, unique } = field;
  const column = quoted(columnOf(name));
  const path = `${table}.${name}`;
  const should = literal(describeField(field));
  const rule = fitsSql(field, column);
  const rows = (where: string) =>
    `SELECT id::text, coalesce(${column}::text, 'nothing') AS found, ${should} AS should FROM ${table} WHERE ${where}`;
  return [
    ...(rule === 'true'
      ? []
      : [
          {
            name: `${path}-rule`,
            means: `a value of ${path} breaks the rule of the model file`,
            sql: rows(`NOT (${rule})`),
          },
        ]),
    ...(required
      ? [{ name: `${path}-required`, means: `a row has no value of ${path}`, sql: rows(`${column} IS NULL`) }]
      : []),
    ...(unique
      ? [
          {
            name: `${path}-unique`,
            means: `two rows have the same value of ${path}`,
            sql: rows(`${column} IN (SELECT ${column} FROM ${table} GROUP BY ${column} HAVING count(*) > 1)`),
          },
        ]
      : []),
    ...(kind === 'user'
      ? [
          {
            name: `${path}-user`,
            means: `${path} names a user who is not there`,
            sql: rows(`${column} IS NOT NULL AND NOT EXISTS (SELECT FROM users u WHERE u.id = ${table}.${column})`),
          },
        ]
      : []),
    ...(pattern === null
      ? []
      : [
          {
            name: `${path}-pattern`,
            means: `a value of ${path} does not match its pattern`,
            sql: `SELECT id::text, ${column} AS found, ${literal(`match ${pattern}`)} AS should FROM ${table} WHERE ${column} IS NOT NULL`,
            // In the engine of the service: PostgreSQL's own patterns are of another kind.
            wrong: (value: string) => valueFault({ ...field, rule: {} }, value) !== null,
          },
        ]),
  ];
}
