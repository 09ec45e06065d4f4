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
  readonly name: string;
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

function referencesOf(table: ModelTable): Reference[] {
  const key = table.constraints.find(({ kind }) => kind === 'primary key')?.columns.join();
  return table.constraints.flatMap(({ name, columns, refersTo, referenced, onDelete }) => {
    if (refersTo === null) return [];
    const last = columns.at(-1)!;
    const field = last.startsWith('f_') ? fieldNameOf(last) : null;
    const property = field ? `${field}User` : camel(last.replace(/_id$/, ''));
    return [
      {
        name,
        table: table.name,
        target: refersTo,
        columns,
        referenced,
        onDelete: onDelete ?? 'NO ACTION',
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
 * developer's own Node code on the same database. It needs `experimentalDecorators`; `synchronize` stays off. Rules and indexes
 * are named as they are, so that a comparison of TypeORM's proposes nothing.
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
  const used = [
    'Check',
    'Column',
    'Entity',
    'Index',
    'JoinColumn',
    'ManyToOne',
    'OneToMany',
    'OneToOne',
    'PrimaryColumn',
    'PrimaryGeneratedColumn',
    'Unique',
  ].filter((name) => body.includes(`@${name}(`));
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
    ...plain.map((column) => member(column, key.columns.includes(column.name) ? key.name : null)),
    ...outgoing.filter(({ field }) => field === null).map((reference) => towards(reference, true)),
    ...incoming.map(from),
    ...(own.length > 0 ? [`  @Column(() => ${name}Fields, { prefix: false })\n  fields!: ${name}Fields;`] : []),
  ];
  const decorators = [`@Entity('${table.name}'${entityOptions(table)})`, ...rulesOf(table), ...indexesOf(table)];
  return `${fieldsClass}${decorators.join('\n')}\nexport class ${name} {\n${members.join('\n\n')}\n}`;
}

function entityOptions({ comment, columns }: ModelTable): string {
  const options = [
    ...(comment === null ? [] : [`comment: ${JSON.stringify(comment)}`]),
    ...(columns.every(({ type }) => type in TYPES) ? [] : ['synchronize: false']),
  ];
  return options.length === 0 ? '' : `, { ${options.join(', ')} }`;
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
    return member(column, null, { property: fieldNameOf(column.name), ...(values && { values }) });
  });
  const relations = outgoing.filter(({ field }) => field !== null).map((reference) => towards(reference, false));
  return `/** Fields of the developer's own on ${table.name}. */\nexport class ${classOf(table.name)}Fields {\n${[...members, ...relations].join('\n\n')}\n}`;
}

const TYPES: Record<string, [string, string]> = {
  'uuid': ["type: 'uuid'", 'string'],
  'text': ["type: 'text'", 'string'],
  'text[]': ["type: 'text', array: true", 'string[]'],
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

/** What TypeORM has no word for is read as text, and not compared. */
const UNKNOWN_TYPE: [string, string] = ["type: 'text'", 'string'];

/** A default as TypeORM compares it: literals as values, all else as SQL. */
function defaultOf(sql: string): string {
  const text = /^'((?:[^']|'')*)'::([\w ]+)$/.exec(sql);
  if (text?.[2] === 'jsonb') return `${text[1]!.replaceAll("''", "'")}`;
  // TypeORM does not double a quote within.
  if (text?.[1]!.includes("'")) return `() => ${JSON.stringify(sql.replace(/::[\w ]+$/, ''))}`;
  if (text) return JSON.stringify(text[1]!.replaceAll("''", "'"));
  return /^-?\d+(\.\d+)?$|^(true|false)$/.test(sql) ? sql : `() => ${JSON.stringify(sql.replace(/::\w+(\[\])?$/, ''))}`;
}

/** Columns of a table as TypeORM names their properties. */
const properties = (columns: readonly string[]): string =>
  columns.map((name) => `'${name.startsWith('f_') ? `fields.${fieldNameOf(name)}` : camel(name)}'`).join(', ');

function rulesOf({ constraints }: ModelTable): string[] {
  return constraints.flatMap(({ name, kind, columns, definition }) => {
    if (kind === 'unique') return [`@Unique('${name}', [${properties(columns)}])`];
    if (kind === 'check')
      return [`@Check('${name}', ${JSON.stringify(/^CHECK \((.*)\)$/s.exec(definition)?.[1] ?? '')})`];
    return [];
  });
}

/** An index of plain columns in rising order; others are named, and left to the migrations that made them. */
const PLAIN_INDEX = /^CREATE (UNIQUE )?INDEX \S+ ON \S+ USING btree \(("?\w+"?(?:, "?\w+"?)*)\)$/;

function indexesOf({ indexes, constraints }: ModelTable): string[] {
  const own = indexes.filter(({ name }) => !constraints.some((rule) => rule.name === name));
  return own.map(({ name, definition }) => {
    const plain = PLAIN_INDEX.exec(definition);
    if (!plain) return `@Index('${name}', { synchronize: false })`;
    const columns = plain[2]!.replaceAll('"', '').split(', ');
    return `@Index('${name}', [${properties(columns)}]${plain[1] ? ', { unique: true }' : ''})`;
  });
}

function member(column: ModelColumn, keyName: string | null, own?: { property: string; values?: string }): string {
  const [type, typescript] = TYPES[column.type] ?? UNKNOWN_TYPE;
  const property = own?.property ?? camel(column.name);
  const named = [
    `name: '${column.name}'`,
    ...(keyName === null ? [] : [`primaryKeyConstraintName: '${keyName}'`]),
    ...(column.comment === null ? [] : [`comment: ${JSON.stringify(column.comment)}`]),
  ];
  // Numbers that the database counts itself; TypeORM takes no transformer there, so a bigint stays a text.
  if (column.default === 'identity') {
    const counted = column.type === 'bigint' ? 'string' : typescript;
    const options = [`type: '${column.type}'`, "generatedIdentity: 'ALWAYS'", ...named];
    return `  @PrimaryGeneratedColumn('identity', { ${options.join(', ')} })\n  ${property}!: ${counted};`;
  }
  const options = [
    type,
    ...named,
    ...(column.nullable && keyName === null ? ['nullable: true'] : []),
    // What the database gives by itself need not be said in an insert.
    ...(column.default === null ? [] : [`default: ${defaultOf(column.default)}`]),
  ];
  const values = own?.values ?? typescript;
  return `  @${keyName === null ? 'Column' : 'PrimaryColumn'}({ ${options.join(', ')} })\n  ${property}!: ${values}${column.nullable ? ' | null' : ''};`;
}

function towards(
  { name: key, target, columns, referenced, onDelete, one, property, inverse }: Reference,
  twoWays: boolean,
): string {
  const way = one ? 'OneToOne' : 'ManyToOne';
  const back = twoWays ? `, (other) => other.${inverse}` : '';
  const joins = columns.map(
    (name, i) =>
      `{ name: '${name}', referencedColumnName: '${camel(referenced[i]!)}', foreignKeyConstraintName: '${key}' }`,
  );
  return `  @${way}(() => ${classOf(target)}${back}, { onDelete: '${onDelete}' })\n  @JoinColumn([${joins.join(', ')}])\n  ${property}?: Relation<${classOf(target)}> | null;`;
}

function from({ table, one, property, inverse }: Reference): string {
  const way = one ? 'OneToOne' : 'OneToMany';
  return `  @${way}(() => ${classOf(table)}, (other) => other.${property})\n  ${inverse}?: Relation<${classOf(table)}${one ? '' : '[]'}>;`;
}
