import type { Finding } from '@gather-lane/server';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { withDatabase } from '../database.js';
import { plural, print, printTable } from '../output.js';
import { progressBar } from '../progress.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';

interface CheckOptions extends SettingOptions {
  repair?: boolean;
  all?: boolean;
  sql?: boolean;
}

/** Adds `check data` below `check`. */
export function checkDataCommand(check: Command): void {
  withSettings(check.command('data').description('Recount every tally, and look for what should not be in the data'))
    .option('--repair', 'mend counts and standings, in batches, while the service runs')
    .option('--all', 'list the checks that found nothing too')
    .option('--sql', 'show the query of each check that found something')
    .action(
      action(run, show, ({ findings, wrong, all }) => ({ findings: all ? findings : wrong, checks: findings.length })),
    );
}

interface Looked {
  readonly findings: Finding[];
  readonly wrong: Finding[];
  readonly left: Finding[];
  readonly all: boolean;
}

async function run({ options }: CommandContext<CheckOptions>): Promise<Looked> {
  const bar = await progressBar('{bar} {value} of {total} · {check}', { clearOnComplete: true });
  const watched = process.stderr.isTTY && !options.json;
  const { config } = await settings(options);
  const findings = await withDatabase(options, async ({ dataSource, plan }) => {
    const { checkData } = await server();
    return checkData(dataSource, {
      plan,
      repair: options.repair ?? false,
      model: config.model,
      progress: (check, done, of) => {
        if (!watched) return;
        if (done === 0) bar.start(of, 0, { check });
        else bar.update(done, { check });
      },
    });
  }).finally(() => bar.stop());
  const wrong = findings.filter((finding) => finding.count > 0);
  const left = wrong.filter((finding) => finding.repaired === null);
  if (left.length > 0) process.exitCode = 1;
  return { findings, wrong, left, all: options.all ?? false };
}

function show({ findings, wrong, left, all }: Looked, { options }: CommandContext<CheckOptions>): void {
  const shown = all ? findings : wrong;
  if (shown.length > 0)
    printTable(
      [{ head: 'CHECK' }, { head: 'FOUND', align: 'right' }, { head: 'WHAT IT MEANS', width: 'rest' }],
      shown.map((finding) => [finding.name, state(finding), finding.means]),
    );
  for (const finding of wrong) explain(finding, options.sql ?? false);
  print();
  if (wrong.length === 0) print(`${plural(findings.length, 'check')}, nothing wrong.`);
  else if (left.length === 0) print(`Everything that was found is mended. Run it again to see.`);
  else
    print(
      `${plural(left.length, 'check')} of ${findings.length} found something.${left.some((finding) => finding.repairable) ? ' --repair mends what can be mended.' : ''}${options.sql ? '' : ' --sql shows how it was looked for.'}`,
    );
}

const state = ({ count, repaired }: Finding): string =>
  count === 0 ? colors.green('0') : repaired === null ? colors.red(String(count)) : colors.yellow(`${count}, mended`);

function explain({ name, examples, query }: Finding, sql: boolean): void {
  print();
  print(colors.bold(name));
  printTable(
    [{ head: 'ID' }, { head: 'FOUND' }, { head: 'SHOULD BE' }],
    examples.map(({ id, found, should }) => [id, found, should]),
  );
  if (sql) print(`\n${colors.dim(query)}`);
}
