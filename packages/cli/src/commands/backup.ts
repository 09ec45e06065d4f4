import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import type { BackupManifest, Config, Finding } from '@gather-lane/server';
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
    .option('--log [folder]', 'replay a kept log over it: that of database.keepLog, or of this folder')
    .option('--until <instant>', 'no act that was committed later, as 2026-01-31T09:00:00Z; with a kept log')
    .option('--pictures <folder>', 'a folder with pictures that came after the back-up')
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

interface RestoreOptions extends SettingOptions {
  readonly log?: string | true;
  readonly until?: string;
  readonly pictures?: string;
}

interface Restored {
  readonly madeAt: string;
  /** When the last act was committed that was replayed; null where none was. */
  readonly lastAct: string | null;
  readonly data: string;
  readonly checks: number;
  readonly wrong: Pick<Finding, 'name' | 'count'>[];
}

async function restore({ options }: CommandContext<RestoreOptions>, from: string): Promise<Restored> {
  const folder = resolve(from);
  if (!existsSync(folder)) throw new Failure(`${folder} is not there: name the folder of a back-up.`);
  const { BackupRefused, checkData, DatabaseFault, restore: place } = await server();
  const { config, environment } = await settings(options);
  const onwards = await replayed(options, config);
  if (onwards) told(options)('replaying the log');
  const pictures = options.pictures === undefined ? null : existing(options.pictures);
  const { manifest, lastAct } = await place(
    config,
    { from: folder, folder: process.cwd(), environment, onwards, pictures },
    remark,
  ).catch((error: unknown) => {
    throw error instanceof BackupRefused || error instanceof DatabaseFault ? new Failure(error.message) : error;
  });
  told(options)('recounting');
  const findings = await withDatabase(options, ({ dataSource, plan }) =>
    checkData(dataSource, { plan, repair: false, model: config.model, progress: () => undefined }),
  );
  const wrong = findings.filter(({ count }) => count > 0).map(({ name, count }) => ({ name, count }));
  if (wrong.length > 0) process.exitCode = 1;
  return {
    madeAt: manifest.madeAt,
    lastAct: lastAct?.toISOString() ?? null,
    data: config.data,
    checks: findings.length,
    wrong,
  };
}

/** Which log is replayed; null for none. @throws Failure for an instant that is none, or a log that is not there */
async function replayed({ log, until }: RestoreOptions, config: Config) {
  if (log === undefined && until === undefined) return null;
  const { keptLogFolder } = await server();
  const kept = typeof log === 'string' ? resolve(log) : keptLogFolder(config, process.cwd());
  if (kept === undefined)
    throw new Failure('No log is kept here (database.keepLog): name the folder of one with --log FOLDER.');
  const instant = until === undefined ? null : new Date(until);
  if (until !== undefined && !isInstant(until))
    throw new Failure(`--until ${until} is no instant with a time zone: write one as 2026-01-31T09:00:00Z.`);
  return { log: existing(kept), until: instant };
}

/** Whether a text is an instant with a time zone, on a day that there is: a `Date` takes the 30th of February for the 2nd of March. */
function isInstant(text: string): boolean {
  const midnight = new Date(`${text.slice(0, 10)}T00:00:00Z`);
  if (!ZONED.test(text) || Number.isNaN(Date.parse(text)) || Number.isNaN(midnight.getTime())) return false;
  return midnight.toISOString().startsWith(text.slice(0, 10));
}

const ZONED = /^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d)$/i;

function existing(folder: string): string {
  const path = resolve(folder);
  if (!existsSync(path)) throw new Failure(`${path} is not there.`);
  return path;
}

function showRestored({ madeAt, lastAct, data, checks, wrong }: Restored): void {
  // To the second: who restores to an instant looks at what came right before it.
  const upTo = lastAct === null ? `as it was on ${sayInstant(madeAt)} UTC` : `with all acts up to that of ${lastAct}`;
  print(`Restored to ${data}, ${upTo}.`);
  if (wrong.length === 0) return print(`${plural(checks, 'check')}, nothing wrong.`);
  for (const { name, count } of wrong) print(`${name}: ${count}`);
  print('\nSee what each means: npx gather-lane check data');
}

/** Says what is being done, where somebody looks. */
const told = (options: SettingOptions) => (what: string) => {
  if (process.stderr.isTTY && !options.json) remark(`… ${what}`);
};
