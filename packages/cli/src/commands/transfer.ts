import { resolve } from 'node:path';
import type { Command } from 'commander';
import { action, work, type CommandContext } from '../action.js';
import { withDatabase } from '../database.js';
import { Failure } from '../failure.js';
import { print, printJson, printTable } from '../output.js';
import { server, withSettings, type SettingOptions } from '../settings.js';

const rows = (n: number): string => n.toLocaleString('en-GB');

/** Adds `export` and `import`. */
export function transferCommands(program: Command): void {
  withSettings(program.command('export').description('Write everything as NDJSON with a manifest, or one table as CSV'))
    .argument('[folder]', 'a folder that is new or empty')
    .option('--csv <table>', 'one table as CSV, on standard output')
    .action(
      work(async ({ options }: CommandContext<SettingOptions & { csv?: string }>, folder: string | undefined) => {
        if (Boolean(folder) === Boolean(options.csv))
          throw new Failure('Name a folder to export to, or a table with --csv.', 2);
        await (options.csv ? writeCsv(options, options.csv) : writeAll(options, resolve(folder!)));
      }),
    );

  withSettings(program.command('import').description('Read an export in; what is there already is skipped'))
    .argument('<folder>', 'the folder of an export')
    .action(
      action(
        async ({ options }: CommandContext<SettingOptions>, folder: string) => {
          const { importAll } = await server();
          return withDatabase(options, ({ dataSource, plan, store }) =>
            watched((progress) => importAll(dataSource, plan, resolve(folder), progress, store)),
          );
        },
        (results) =>
          printTable(
            [{ head: 'TABLE' }, { head: 'MADE', align: 'right' }, { head: 'THERE ALREADY', align: 'right' }],
            results.map(({ table, made, skipped }) => [table, rows(made), rows(skipped)]),
          ),
      ),
    );
}

async function writeCsv(options: SettingOptions, table: string): Promise<void> {
  const { exportCsv } = await server();
  await withDatabase(options, ({ dataSource, plan }) => exportCsv(dataSource, plan, table, process.stdout));
}

async function writeAll(options: SettingOptions, folder: string): Promise<void> {
  const { exportAll } = await server();
  const manifest = await withDatabase(options, ({ dataSource, plan, store }) =>
    watched((progress) => exportAll(dataSource, plan, folder, progress, store)),
  );
  if (options.json) return printJson(manifest);
  printTable(
    [{ head: 'TABLE' }, { head: 'ROWS', align: 'right' }, { head: 'FILE' }],
    manifest.tables.map((table) => [table.name, rows(table.rows), table.file]),
  );
  print(`\nExported to ${folder}. It holds password hashes: keep it to yourself.`);
}

/** Runs work with its progress on one line of a terminal. */
async function watched<T>(work: (progress: (table: string, done: number) => void) => Promise<T>): Promise<T> {
  if (!process.stderr.isTTY) return work(() => undefined);
  let said = '';
  try {
    return await work((table, done) => {
      said = `${table}: ${rows(done)} rows`;
      process.stderr.write(`\r\u001B[K${said}`);
    });
  } finally {
    if (said) process.stderr.write('\r\u001B[K');
  }
}
