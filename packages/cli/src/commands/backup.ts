import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import type { BackupManifest, Finding } from '@gather-lane/server';
import { sayInstant } from '@gather-lane/words';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { withDatabase } from '../database.js';
import { Failure } from '../failure.js';
import { plural, print, remark } from '../output.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';

/** Adds `backup` and `restore-backup`. */
export function backupCommands(program: Command): void {
  withSettings(
    program
      .command('backup')
      .description('Copy the embedded database and the pictures to a folder, while the service goes on'),
  )
    .argument('<folder>', 'a folder that is new or empty')
    .action(action(backUp, showBackup, ({ manifest: { password: _, ...said }, folder }) => ({ ...said, folder })));

  withSettings(
    program
      .command('restore-backup')
      .description('Put a back-up into an empty data folder, and look whether all is right'),
  )
    .argument('<folder>', 'the folder of a back-up')
    .action(action(restore, showRestored));
}

interface BackedUp {
  readonly manifest: BackupManifest;
  readonly folder: string;
}

async function backUp({ options }: CommandContext<SettingOptions>, to: string): Promise<BackedUp> {
  const folder = resolve(to);
  const { backUp: copy } = await server();
  const manifest = await withDatabase(options, (database) => copy(database, folder, told(options)));
  return { manifest, folder };
}

function showBackup({ manifest, folder }: BackedUp): void {
  print(`Backed up to ${folder}: the database, and ${plural(manifest.pictures, 'file')} of pictures.`);
  print('It holds password hashes and keys: keep it to yourself. The operator key is not in it.');
  print(`\n  npx gather-lane restore-backup ${folder} --data NEW-FOLDER`);
}

interface Restored {
  readonly madeAt: string;
  readonly data: string;
  readonly checks: number;
  readonly wrong: Pick<Finding, 'name' | 'count'>[];
}

async function restore({ options }: CommandContext<SettingOptions>, from: string): Promise<Restored> {
  const folder = resolve(from);
  if (!existsSync(folder)) throw new Failure(`${folder} is not there: name the folder of a back-up.`);
  const { BackupRefused, checkData, DatabaseFault, restore: place } = await server();
  const { config, environment } = await settings(options);
  const manifest = await place(config, { from: folder, folder: process.cwd(), environment }, remark).catch(
    (error: unknown) => {
      throw error instanceof BackupRefused || error instanceof DatabaseFault ? new Failure(error.message) : error;
    },
  );
  told(options)('recounting');
  const findings = await withDatabase(options, ({ dataSource, plan }) =>
    checkData(dataSource, { plan, repair: false, model: config.model, progress: () => undefined }),
  );
  const wrong = findings.filter(({ count }) => count > 0).map(({ name, count }) => ({ name, count }));
  if (wrong.length > 0) process.exitCode = 1;
  return { madeAt: manifest.madeAt, data: config.data, checks: findings.length, wrong };
}

function showRestored({ madeAt, data, checks, wrong }: Restored): void {
  print(`Restored to ${data}, as it was on ${sayInstant(madeAt)} UTC.`);
  if (wrong.length === 0) return print(`${plural(checks, 'check')}, nothing wrong.`);
  for (const { name, count } of wrong) print(`${name}: ${count}`);
  print('\nSee what each means: npx gather-lane check data');
}

/** Says what is being done, where somebody looks. */
const told = (options: SettingOptions) => (what: string) => {
  if (process.stderr.isTTY && !options.json) remark(`… ${what}`);
};
