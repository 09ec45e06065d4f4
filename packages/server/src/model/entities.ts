import { columnOf, fieldNameOf, type PresentField } from '@gather-lane/core';
import type { ModelColumn, ModelTable } from './describe.js';

const camel = (name: string): string => name.replace(/_([a-z0-9])/g, (_, c: string) => c.toUpperCase());
const pascal = (name: string): string => camel(`_${name}`);
const singular = (table: string): string =>
  table.endsWith('ies') ? `${table.slice(0, -3)}y` : table.endsWith('s') ? table.slice(0, -1) : table;

/** The class of a table: `post_tallies` is `PostTally`. */
export const classOf = (table: string): string => pascal(singular(table));

/** A foreign key as two entities see it. */
interface Reference {
  readonly table: string;
  readonly target: string;
  readonly columns: string[];
  readonly referenced: string[];
  readonly onDelete: string;
  /** True where the key is the table's own primary key: one row at most for each. */
  readonly one: boolean;
  /** Property of the referring entity, and of the one referred to. */
  readonly property: string;
  inverse: string;
  /** The own field that it is the key of, or null. */
  readonly field: string | null;
}

const FOREIGN_KEY =
  /^FOREIGN KEY \(([^)]*)\) REFERENCES "?(\w+)"?\(([^)]*)\)(?:.* ON DELETE (CASCADE|SET NULL|RESTRICT))?/;

function referencesOf(table: ModelTable): Reference[] {
  const key = table.constraints.find(({ kind }) => kind === 'primary key')?.columns.join();
  return table.constraints.flatMap(({ kind, definition }) => {
    const found = kind === 'foreign key' ? FOREIGN_KEY.exec(definition) : null;
    if (!found) return [];
    const columns = found[1]!.split(', ');
    const last = columns.at(-1)!;
    const field = last.startsWith('f_') ? fieldNameOf(last) : null;
    const property = field ? `${field}User` : camel(last.replace(/_id$/, ''));
    return [
      {
        table: table.name,
        target: found[2]!,
        columns,
        referenced: found[3]!.split(', '),
        onDelete: found[4] ?? 'NO ACTION',
        one: columns.join() === key,
        property: property === camel(last) ? `${property}Of` : property,
        inverse: '',
        field,
      },
    ];
  });
}

/**
 * TypeORM entity classes of the whole model as it is in the database, own fields included: one file for the
 * developer's own Node code on the same database. It needs `experimentalDecorators`; `synchronize` stays off.
 */
export function modelAsEntities(tables: readonly ModelTable[], present: readonly PresentField[]): string {
  const references = tables.flatMap(referencesOf);
  for (const reference of references) {
    const same = references.filter(
      ({ table, target, field }) => table === reference.table && target === reference.target && field === null,
    );
    const stem = camel(reference.one ? singular(reference.table) : reference.table);
    reference.inverse = same.length > 1 ? `${stem}As${pascal(reference.property)}` : stem;
  }
  const classes = tables.map((table) => entityOf(table, references, present));
  const body = classes.join('\n\n');
  const used = ['Column', 'Entity', 'JoinColumn', 'ManyToOne', 'OneToMany', 'OneToOne', 'PrimaryColumn'].filter(
    (name) => body.includes(`@${name}(`),
  );
  return `// The model of a Gather Lane database as TypeORM entities. Compile with experimentalDecorators, and leave
// synchronize off: the tables are migrated by \`gather-lane model migrate\` alone.
import 'reflect-metadata';
import { ${used.join(', ')}, type Relation } from 'typeorm';

/** bigint arrives as text; the values here are within what a number carries exactly. */
const whole = { to: (value: unknown) => value, from: (value: string | null) => (value === null ? null : Number(value)) };

${body}

/** Every entity, for the data source's \`entities\`. */
export const entities = [${tables.map(({ name }) => classOf(name)).join(', ')}];
`;
}

function entityOf(table: ModelTable, references: readonly Reference[], present: readonly PresentField[]): string {
  const key = table.constraints.find(({ kind }) => kind === 'primary key')!;
  const own = table.columns.filter(({ name }) => name.startsWith('f_'));
  const plain = table.columns.filter(({ name }) => !name.startsWith('f_'));
  const outgoing = references.filter((reference) => reference.table === table.name);
  const incoming = references.filter(({ target, field }) => target === table.name && field === null);
  const name = classOf(table.name);
  const fieldsClass = own.length === 0 ? '' : `${fieldsOf(table, own, present, outgoing)}\n\n`;
  const members = [
    ...plain.map((column) => member(column, key.columns.includes(column.name))),
    ...outgoing.filter(({ field }) => field === null).map((reference) => towards(reference, true)),
    ...incoming.map(from),
    ...(own.length > 0 ? [`  @Column(() => ${name}Fields, { prefix: false })\n  fields!: ${name}Fields;`] : []),
  ];
  return `${fieldsClass}@Entity('${table.name}')\nexport class ${name} {\n${members.join('\n\n')}\n}`;
}

function fieldsOf(
  table: ModelTable,
  own: readonly ModelColumn[],
  present: readonly PresentField[],
  outgoing: readonly Reference[],
): string {
  const members = own.map((column) => {
    const field = present.find((other) => other.table === table.name && columnOf(other.name) === column.name);
    const values = field?.rule?.enum?.map((value) => JSON.stringify(value)).join(' | ');
    return member(column, false, { property: fieldNameOf(column.name), ...(values && { values }) });
  });
  const relations = outgoing.filter(({ field }) => field !== null).map((reference) => towards(reference, false));
  return `/** Fields of the developer's own on ${table.name}. */\nexport class ${classOf(table.name)}Fields {\n${[...members, ...relations].join('\n\n')}\n}`;
}

const TYPES: Record<string, [string, string]> = {
  'uuid': ["type: 'uuid'", 'string'],
  'text': ["type: 'text'", 'string'],
  'integer': ["type: 'integer'", 'number'],
  'smallint': ["type: 'smallint'", 'number'],
  'integer[]': ["type: 'integer', array: true", 'number[]'],
  'bigint': ["type: 'bigint', transformer: whole", 'number'],
  'double precision': ["type: 'double precision'", 'number'],
  'boolean': ["type: 'boolean'", 'boolean'],
  'date': ["type: 'date'", 'string'],
  'jsonb': ["type: 'jsonb'", 'unknown'],
  'bytea': ["type: 'bytea'", 'Buffer'],
  'timestamp(3) with time zone': ["type: 'timestamptz', precision: 3", 'Date'],
  'timestamp with time zone': ["type: 'timestamptz'", 'Date'],
};

function member(column: ModelColumn, isKey: boolean, own?: { property: string; values?: string }): string {
  const [type, typescript] = TYPES[column.type] ?? ["type: 'text'", 'string'];
  const property = own?.property ?? camel(column.name);
  const options = [
    type,
    `name: '${column.name}'`,
    ...(column.nullable ? ['nullable: true'] : []),
    // What the database gives by itself need not be said in an insert.
    ...(column.default === null
      ? []
      : column.default === 'identity'
        ? ['generated: true', 'insert: false']
        : ['default: () => ' + JSON.stringify(column.default)]),
  ].filter((option) => !isKey || !['nullable: true', 'insert: false'].includes(option));
  const values = own?.values ?? typescript;
  const kept = isKey ? options.filter((option) => option !== 'generated: true') : options;
  return `  @${isKey ? 'PrimaryColumn' : 'Column'}({ ${kept.join(', ')} })\n  ${property}!: ${values}${column.nullable ? ' | null' : ''};`;
}

function towards(
  { target, columns, referenced, onDelete, one, property, inverse }: Reference,
  twoWays: boolean,
): string {
  const way = one ? 'OneToOne' : 'ManyToOne';
  const back = twoWays ? `, (other) => other.${inverse}` : '';
  const joins = columns.map((name, i) => `{ name: '${name}', referencedColumnName: '${camel(referenced[i]!)}' }`);
  return `  @${way}(() => ${classOf(target)}${back}, { onDelete: '${onDelete}' })\n  @JoinColumn([${joins.join(', ')}])\n  ${property}?: Relation<${classOf(target)}> | null;`;
}

function from({ table, one, property, inverse }: Reference): string {
  const way = one ? 'OneToOne' : 'OneToMany';
  return `  @${way}(() => ${classOf(table)}, (other) => other.${property})\n  ${inverse}?: Relation<${classOf(table)}${one ? '' : '[]'}>;`;
}
