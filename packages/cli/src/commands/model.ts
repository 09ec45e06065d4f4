import type { ModelTable } from '@gather-lane/server';
import type { Command } from 'commander';
import colors from 'picocolors';
import { work, type CommandContext } from '../action.js';
import { withDatabase } from '../database.js';
import { Failure } from '../failure.js';
import { print, printJson, printTable } from '../output.js';
import { modelChangesCommands } from './model-changes.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';

interface ModelOptions extends SettingOptions {
  sql?: boolean;
  mermaid?: boolean;
  entities?: boolean;
  types?: boolean;
}

/** Adds `model`. */
export function modelCommand(program: Command): void {
  const model = program
    .command('model')
    .description('Show the model as it really is in the database: tables, fields, keys, indexes, row counts');
  withSettings(model)
    .argument('[table]', 'one table, whole')
    .option('--sql', 'as SQL that makes it')
    .option('--mermaid', 'as a Mermaid entity-relationship diagram')
    .option('--entities', 'as TypeORM entity classes, for code of your own on the same database')
    .option('--types', 'the fields of your own as TypeScript types, for code that uses the client')
    .action(work(({ options }: CommandContext<ModelOptions>, table: string | undefined) => show(table, options)));
  modelChangesCommands(model);
}

async function show(wanted: string | undefined, options: ModelOptions): Promise<void> {
  const { describeModel, modelAsEntities, modelAsMermaid, modelAsSql, modelAsTypes, presentFields } = await server();
  if (options.types) return void process.stdout.write(modelAsTypes((await settings(options)).config.model));
  await withDatabase(options, async ({ dataSource }) => {
    if (options.sql) return void process.stdout.write(await modelAsSql(dataSource));
    const tables = await describeModel(dataSource);
    if (options.entities) return void process.stdout.write(modelAsEntities(tables, await presentFields(dataSource)));
    if (options.mermaid) return void process.stdout.write(modelAsMermaid(tables));
    if (wanted === undefined) return options.json ? printJson(tables) : printOverview(tables);
    const table = tables.find(({ name }) => name === wanted);
    if (!table)
      throw new Failure(`There is no table "${wanted}": choose one of ${tables.map(({ name }) => name).join(', ')}.`);
    return options.json ? printJson(table) : printTableWhole(table, tables);
  });
}

const size = (bytes: number): string =>
  bytes < 1_048_576 ? `${Math.ceil(bytes / 1024)} kB` : `${(bytes / 1_048_576).toFixed(1)} MB`;
const rowCount = ({ rows, estimated }: ModelTable): string => (estimated ? '≈ ' : '') + rows.toLocaleString('en-GB');

function printOverview(tables: ModelTable[]): void {
  printTable(
    [
      { head: 'TABLE' },
      { head: 'ROWS', align: 'right' },
      { head: 'SIZE', align: 'right' },
      { head: 'INDEXES', align: 'right' },
      { head: 'REFERS TO' },
      { head: 'FIELDS', width: 'rest' },
    ],
    tables.map((table) => [
      table.name,
      rowCount(table),
      size(table.bytes),
      String(table.indexes.length),
      [...new Set(table.constraints.map((rule) => rule.refersTo).filter((name) => name !== null))].join(', '),
      table.columns.map((column) => column.name).join(', '),
    ]),
  );
  print(colors.dim('\ngather-lane model TABLE shows one whole.'));
}

function printTableWhole(table: ModelTable, all: ModelTable[]): void {
  print(`${colors.bold(table.name)} · ${rowCount(table)} ${table.rows === 1 ? 'row' : 'rows'} · ${size(table.bytes)}`);
  if (table.comment) print(table.comment);
  print();
  printTable(
    [
      { head: 'FIELD' },
      { head: 'TYPE' },
      { head: 'NULL' },
      { head: 'DEFAULT', width: 'rest' },
      { head: 'WHAT IT IS', width: 'rest' },
    ],
    table.columns.map((column) => [
      column.name,
      column.type,
      column.nullable ? 'yes' : 'no',
      column.default ?? '',
      column.comment ?? '',
    ]),
  );
  print();
  printTable(
    [{ head: 'RULE' }, { head: 'DEFINITION', width: 'rest' }],
    table.constraints.map((rule) => [rule.name, rule.definition]),
  );
  print();
  printTable(
    [{ head: 'INDEX' }, { head: 'SIZE', align: 'right' }, { head: 'DEFINITION', width: 'rest' }],
    table.indexes.map((index) => [
      index.name,
      size(index.bytes),
      index.definition.replace(/^CREATE (UNIQUE )?INDEX \S+ ON \S+ /, '$1'),
    ]),
  );
  const children = all.flatMap((other) =>
    other.constraints
      .filter((rule) => rule.refersTo === table.name)
      .map((rule) => `${other.name} (${rule.columns.join(', ')})`),
  );
  if (children.length > 0) print(colors.dim(`\nReferred to by ${children.join(', ')}.`));
}
