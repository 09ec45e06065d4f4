import type { DataSource, EntityManager } from 'typeorm';
import { quoted } from '../../ground/fields/field-columns.js';

/** A column of a table. */
export interface ModelColumn {
  readonly name: string;
  readonly type: string;
  readonly nullable: boolean;
  readonly default: string | null;
  readonly comment: string | null;
}

/** A rule of a table, as PostgreSQL writes it. */
export interface ModelConstraint {
  readonly name: string;
  readonly kind: 'primary key' | 'foreign key' | 'unique' | 'check';
  readonly definition: string;
  readonly columns: string[];
  /** The table that a foreign key refers to, the columns there, and what deleting one of its rows does here. */
  readonly refersTo: string | null;
  readonly referenced: string[];
  readonly onDelete: 'NO ACTION' | 'RESTRICT' | 'CASCADE' | 'SET NULL' | 'SET DEFAULT' | null;
}

/** An index of a table; the size in bytes. */
export interface ModelIndex {
  readonly name: string;
  readonly definition: string;
  readonly bytes: number;
}

/** A table as it really is in the database. */
export interface ModelTable {
  readonly name: string;
  readonly comment: string | null;
  /** Exact up to a limit, an estimate beyond. */
  readonly rows: number;
  readonly estimated: boolean;
  readonly bytes: number;
  readonly columns: ModelColumn[];
  readonly constraints: ModelConstraint[];
  readonly indexes: ModelIndex[];
}

/** Beyond so many rows a count would take longer than anybody waits, and the statistics' estimate is shown. */
const MOST_COUNTED = 200_000;

/** Tables with their columns, constraints and indexes, from the catalogue. Cost: some milliseconds, whatever is in them. */
const TABLES = `
  SELECT c.relname AS name, obj_description(c.oid, 'pg_class') AS comment, greatest(c.reltuples, 0)::bigint AS estimate,
    pg_total_relation_size(c.oid) AS bytes,
    (SELECT json_agg(json_build_object('name', a.attname, 'type', format_type(a.atttypid, a.atttypmod), 'nullable', NOT a.attnotnull,
              'default', CASE WHEN a.attidentity <> '' THEN 'identity' ELSE pg_get_expr(d.adbin, d.adrelid) END,
              'comment', col_description(c.oid, a.attnum)) ORDER BY a.attnum)
     FROM pg_attribute a LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
     WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped) AS columns,
    (SELECT coalesce(json_agg(json_build_object('name', k.conname, 'definition', pg_get_constraintdef(k.oid),
              'kind', CASE k.contype WHEN 'p' THEN 'primary key' WHEN 'f' THEN 'foreign key' WHEN 'u' THEN 'unique' ELSE 'check' END,
              'columns', (SELECT coalesce(json_agg(a.attname ORDER BY u.n), '[]') FROM unnest(k.conkey) WITH ORDINALITY AS u (attnum, n)
                          JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = u.attnum),
              'refersTo', f.relname,
              'referenced', (SELECT coalesce(json_agg(a.attname ORDER BY u.n), '[]') FROM unnest(k.confkey) WITH ORDINALITY AS u (attnum, n)
                             JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = u.attnum),
              'onDelete', CASE k.confdeltype WHEN 'a' THEN 'NO ACTION' WHEN 'r' THEN 'RESTRICT' WHEN 'c' THEN 'CASCADE' WHEN 'n' THEN 'SET NULL' WHEN 'd' THEN 'SET DEFAULT' END) ORDER BY k.contype = 'c', k.conname), '[]')
     FROM pg_constraint k LEFT JOIN pg_class f ON f.oid = k.confrelid WHERE k.conrelid = c.oid AND k.contype IN ('p', 'f', 'u', 'c')) AS constraints,
    (SELECT coalesce(json_agg(json_build_object('name', i.relname, 'definition', pg_get_indexdef(x.indexrelid), 'bytes', pg_relation_size(x.indexrelid)) ORDER BY i.relname), '[]')
     FROM pg_index x JOIN pg_class i ON i.oid = x.indexrelid WHERE x.indrelid = c.oid) AS indexes
  FROM pg_class c
  WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r' AND c.relname <> 'gather_lane_migrations'
  ORDER BY c.relname`;

/** A table without its rows counted. */
export type ModelShape = Omit<ModelTable, 'rows' | 'estimated'>;

/** The tables with their columns, rules and indexes, and what the statistics say of their rows. Counts nothing. */
async function readTables(dataSource: DataSource): Promise<(ModelShape & { estimate: number })[]> {
  const rows = await dataSource.query<(Omit<ModelShape, 'bytes'> & { estimate: string; bytes: string })[]>(TABLES);
  return rows.map((table) => ({ ...table, estimate: Number(table.estimate), bytes: Number(table.bytes) }));
}

/** The tables with their columns, rules and indexes, for who does not ask how many rows there are. */
export async function describeShape(dataSource: DataSource): Promise<ModelShape[]> {
  return (await readTables(dataSource)).map(({ estimate: _, ...table }) => table);
}

/** The model as it really is in the database: every table with its rows, columns, rules and indexes. */
export async function describeModel(dataSource: DataSource): Promise<ModelTable[]> {
  const tables: ModelTable[] = [];
  for (const { estimate, ...table } of await readTables(dataSource)) {
    const estimated = estimate > MOST_COUNTED;
    tables.push({ ...table, rows: estimated ? estimate : await countRows(dataSource, table.name), estimated });
  }
  return tables;
}

/** How many rows a table has, exactly. Cost: a pass over it. */
export async function countRows(database: DataSource | EntityManager, table: string): Promise<number> {
  const [row] = await database.query<{ n: number }[]>(`SELECT count(*)::integer AS n FROM ${quoted(table)}`);
  return row!.n;
}

/** Comments on tables, columns and constraints: in those of the last stand the rules of the developer's own fields. */
const COMMENTS = `
  SELECT format('COMMENT ON TABLE %I IS %L', c.relname, d.description) AS definition, 1 AS part
  FROM pg_description d JOIN pg_class c ON c.oid = d.objoid AND d.classoid = 'pg_class'::regclass AND d.objsubid = 0
  WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r'
  UNION ALL
  SELECT format('COMMENT ON COLUMN %I.%I IS %L', c.relname, a.attname, d.description), 2
  FROM pg_description d JOIN pg_class c ON c.oid = d.objoid AND d.classoid = 'pg_class'::regclass
  JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = d.objsubid
  WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r' AND d.objsubid > 0
  UNION ALL
  SELECT format('COMMENT ON CONSTRAINT %I ON %I IS %L', k.conname, c.relname, d.description), 3
  FROM pg_description d JOIN pg_constraint k ON k.oid = d.objoid AND d.classoid = 'pg_constraint'::regclass
  JOIN pg_class c ON c.oid = k.conrelid WHERE c.relnamespace = 'public'::regnamespace
  ORDER BY part, definition`;
const FUNCTIONS = `SELECT pg_get_functiondef(oid) AS definition FROM pg_proc WHERE pronamespace = 'public'::regnamespace ORDER BY proname`;
const TRIGGERS = `SELECT pg_get_triggerdef(t.oid) AS definition FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid
  WHERE NOT t.tgisinternal AND c.relnamespace = 'public'::regnamespace ORDER BY c.relname, t.tgname`;
const VIEWS = `SELECT format(E'CREATE VIEW %I AS\\n%s', viewname, definition) AS definition FROM pg_views WHERE schemaname = 'public' ORDER BY viewname`;

/** The model as SQL that makes it, in an order that runs: tables, keys, indexes, views, functions, triggers. */
export async function modelAsSql(dataSource: DataSource): Promise<string> {
  const tables = await describeShape(dataSource);
  const made = tables.map(({ name, columns, constraints }) => {
    const lines = columns.map((column) => {
      const rule =
        column.default === 'identity'
          ? ' GENERATED ALWAYS AS IDENTITY'
          : column.default
            ? ` DEFAULT ${column.default}`
            : '';
      return `  "${column.name}" ${column.type}${column.nullable ? '' : ' NOT NULL'}${rule}`;
    });
    const own = constraints
      .filter(({ kind }) => kind !== 'foreign key')
      .map((rule) => `  CONSTRAINT "${rule.name}" ${rule.definition}`);
    return `CREATE TABLE "${name}" (\n${[...lines, ...own].join(',\n')}\n);`;
  });
  const keys = tables.flatMap(({ name, constraints }) =>
    constraints
      .filter(({ kind }) => kind === 'foreign key')
      .map((rule) => `ALTER TABLE "${name}" ADD CONSTRAINT "${rule.name}" ${rule.definition};`),
  );
  const indexes = tables.flatMap(({ indexes: all, constraints }) =>
    all.filter(({ name }) => !constraints.some((rule) => rule.name === name)).map(({ definition }) => `${definition};`),
  );
  // Bodies of SQL functions and views name tables, so these come after; a view may be used by a function.
  const rest: string[] = [];
  for (const sql of [COMMENTS, VIEWS, FUNCTIONS, TRIGGERS])
    for (const { definition } of await dataSource.query<{ definition: string }[]>(sql))
      rest.push(`${definition.trim().replace(/;$/, '')};`);
  return ['SET check_function_bodies = off;', ...made, ...keys, ...indexes, ...rest].join('\n\n') + '\n';
}

/** The model as a Mermaid entity-relationship diagram. */
export function modelAsMermaid(tables: ModelTable[]): string {
  const entities = tables.map(({ name, columns, constraints }) => {
    const marks = (column: string) =>
      (['primary key', 'foreign key', 'unique'] as const)
        .filter((kind) => constraints.some((rule) => rule.kind === kind && rule.columns.includes(column)))
        .map((kind) => ({ 'primary key': 'PK', 'foreign key': 'FK', 'unique': 'UK' })[kind]);
    const lines = columns.map((column) =>
      `    ${column.type.replace(/[^\w]+/g, '_').replace(/_$/, '')} ${column.name} ${marks(column.name).join(', ')}`.trimEnd(),
    );
    return `  ${name} {\n${lines.join('\n')}\n  }`;
  });
  const relations = tables.flatMap((table) =>
    table.constraints
      .filter((rule) => rule.kind === 'foreign key')
      .map((rule) => {
        const own = rule.columns.filter((name) => name !== 'post_id' || rule.columns.length === 1);
        const optional = own.some((name) => table.columns.find((column) => column.name === name)?.nullable);
        const key = table.constraints.find(({ kind }) => kind === 'primary key');
        const one = key?.columns.join() === rule.columns.join();
        return `  ${rule.refersTo} ${optional ? '|o' : '||'}--${one ? 'o|' : 'o{'} ${table.name} : "${own.join(', ')}"`;
      }),
  );
  return ['erDiagram', ...entities, ...relations].join('\n') + '\n';
}
