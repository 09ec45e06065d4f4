import { readFileSync } from 'node:fs';
import type { Answers, BackResult, Config, MigrationResult, Plan, PlannedChange } from '@gather-lane/server';
import type { Command } from 'commander';
import colors from 'picocolors';
import { work, type CommandContext } from '../action.js';
import { askAnswers } from '../ask-answers.js';
import { withDatabase } from '../database.js';
import { Failure } from '../failure.js';
import { plural, print, printJson, remark, terminalWidth } from '../output.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';
import wrapAnsi from 'wrap-ansi';

interface ChangesOptions extends SettingOptions {
  answers?: string;
}

interface MigrateOptions extends ChangesOptions {
  drop?: string[];
  dryRun?: boolean;
  back?: boolean;
}

/** Adds `model changes` and `model migrate`. */
export function modelChangesCommands(model: Command): void {
  withSettings(
    model
      .command('changes')
      .description('What the model file would change in the tables, and what the rows would suffer'),
  )
    .option('--answers <file>', 'answers to hazards, as YAML or JSON')
    .action(work(({ options }: CommandContext<ChangesOptions>) => changes(options)));

  withSettings(
    model.command('migrate').description('Bring the tables to the model file, safely, beside running services'),
  )
    .option('--answers <file>', 'answers to hazards, as YAML or JSON; asked for on a terminal otherwise')
    .option('--drop <field...>', 'fields whose data may be lost, such as posts.lockNumber')
    .option('--dry-run', 'show the steps, do nothing')
    .option('--back', 'take the last migration back, where nothing is lost by it')
    .action(work(({ options }: CommandContext<MigrateOptions>) => migrate(options)));
}

async function answersOf({ answers }: ChangesOptions): Promise<Answers> {
  if (answers === undefined) return {};
  const { AnswersFault, readAnswers } = await server();
  let text: string;
  try {
    text = readFileSync(answers, 'utf8');
  } catch (error) {
    throw new Failure(`The answers could not be read: ${(error as Error).message}`, 2);
  }
  try {
    return readAnswers(text, answers);
  } catch (error) {
    throw error instanceof AnswersFault ? new Failure(error.message, 2) : error;
  }
}

async function changes(options: ChangesOptions): Promise<void> {
  const answers = await answersOf(options);
  const { previewMigration } = await server();
  const { config } = await settings(options);
  await withDatabase(options, async ({ dataSource }) =>
    showPlan(options, config, await previewMigration(dataSource, config.model, { answers, drop: [] })),
  );
}

async function showPlan(options: ChangesOptions, config: Config, plan: Plan): Promise<void> {
  const { planAsJson, signInWarnings } = await server();
  const warnings = signInWarnings(config.model, config.signIn);
  if (options.json) return printJson({ ...planAsJson(plan), warnings });
  await printPlan(plan);
  if (warnings.length > 0) print();
  for (const warning of warnings) say(`${colors.yellow('!')} ${warning}`, 0);
}

async function printPlan(plan: Plan): Promise<void> {
  if (plan.changes.length === 0 && plan.leftovers.length === 0)
    return print('The tables are what the model file says: nothing to do.');
  const { PLACEHOLDER, stepAsSql, wayAsTyped } = await server();
  for (const planned of plan.changes) printChange(planned, stepAsSql, wayAsTyped);
  for (const step of plan.leftovers) print(`${colors.bold(step.field)}  ${step.does}`);
  const open = plan.changes.filter((planned) => planned.open.length > 0);
  const faults = plan.changes.flatMap((planned) => planned.faults);
  print();
  for (const fault of faults) print(colors.red(fault));
  print(
    `${plural(plan.changes.length, 'change')}. ` +
      (open.length === 0
        ? plan.changes.some(({ waitsFor }) => waitsFor.length > 0)
          ? 'What is marked with ~ waits until those services run by this model file; the rest: gather-lane model migrate'
          : 'Nothing stands in the way: gather-lane model migrate'
        : 'Before it can be done, choose for what is marked with ! — asked for by `gather-lane model migrate`, or in a file:'),
  );
  const asked = open.flatMap(({ change, open: hazards }) =>
    hazards.filter(({ kind, ways }) => kind !== 'data-lost' && ways.length > 0).map((hazard) => ({ change, hazard })),
  );
  if (asked.length === 0) return;
  const byField = new Map<string, string[]>();
  for (const { change, hazard } of asked) {
    const path = `${change.table}.${change.name}`;
    byField.set(path, [...(byField.get(path) ?? []), `  ${hazard.kind}: ${asYaml(hazard.ways[0]!, PLACEHOLDER)}`]);
  }
  print();
  for (const [path, lines] of byField) print(colors.cyan([`${path}:`, ...lines].join('\n')));
}

/** A way out as a file of answers has it: what is still to be chosen is left empty, so that it is not taken for a value. */
const asYaml = ({ answer, does }: PlannedChange['hazards'][number]['ways'][number], placeholder: string): string =>
  answer.includes(placeholder) ? `${answer.replace(` ${placeholder} `, ' ')}  # ${does}` : answer;

function printChange(
  { change, hazards, steps, waitsFor }: PlannedChange,
  stepAsSql: (step: Plan['leftovers'][number]) => string[],
  wayAsTyped: Awaited<ReturnType<typeof server>>['wayAsTyped'],
): void {
  print();
  print(colors.bold(change.sentence));
  for (const { kind, sentence, examples, ways, safely } of hazards) {
    const mark = safely === null ? colors.yellow('!') : colors.green('✓');
    const shown = examples.length > 0 ? ` Such as ${examples.map((text) => JSON.stringify(text)).join(', ')}.` : '';
    say(`${mark} ${sentence}${shown}${safely ? ` ${safely}` : ''}`, 2);
    const typed = ways.map((way) => wayAsTyped(change, kind, way));
    const widest = Math.max(0, ...typed.map((text) => text.length));
    ways.forEach(({ does }, i) => say(`${colors.cyan(typed[i]!.padEnd(widest))}  ${does}`, 6));
  }
  if (waitsFor.length > 0)
    say(
      `${colors.yellow('~')} Waits for ${plural(waitsFor.length, 'service')} of an older model (${waitsFor.map(({ pid, host }) => `process ${pid} on ${host}`).join(', ')}).`,
      2,
    );
  for (const statement of steps.flatMap(stepAsSql)) say(colors.dim(statement), 4);
}

/** Text that wraps at the terminal's width, with every line indented. */
function say(text: string, indent: number): void {
  const lines = wrapAnsi(text, terminalWidth() - indent - 2, { hard: true }).split('\n');
  print(lines.map((line, i) => ' '.repeat(i === 0 ? indent : indent + 2) + line).join('\n'));
}

async function migrate(options: MigrateOptions): Promise<void> {
  const { MigrationRefused, migrateBack, migrateModel, previewMigration } = await server();
  const { config } = await settings(options);
  const drop = options.drop ?? [];
  let answers = await answersOf(options);
  await withDatabase(options, async ({ dataSource }) => {
    if (options.dryRun) {
      const to = options.back ? 'back' : config.model;
      const plan = await previewMigration(dataSource, to, { answers, drop }).catch((error: unknown) => {
        throw error instanceof MigrationRefused ? new Failure(error.message) : error;
      });
      return showPlan(options, config, plan);
    }
    const run = async (): Promise<void> => {
      const told = {
        answers,
        drop,
        progress: options.json ? undefined : tellStep,
        waiting: (text: string) => remark(colors.dim(`    ${text}`)),
      };
      if (!options.back) return report(options, await migrateModel(dataSource, config.model, told));
      const back = await migrateBack(dataSource, told);
      const asked = await previewMigration(dataSource, config.model, { answers: {}, drop: [] });
      if (options.json) report(options, { ...back, asked: asked.changes.map(({ change }) => change.sentence) });
      else {
        report(options, back);
        tellAfterBack(back, asked);
      }
    };
    try {
      await run();
    } catch (error) {
      if (!(error instanceof MigrationRefused)) throw error;
      const askable = error.open.length > 0 && process.stdin.isTTY && process.stdout.isTTY && !options.json;
      if (!askable) throw new Failure(error.message);
      answers = { ...answers, ...(await askAnswers(error.open, drop, answers)) };
      await run().catch((again: unknown) => {
        throw again instanceof MigrationRefused ? new Failure(again.message) : again;
      });
    }
  });
}

const tellStep = ({ field, does }: { field: string; does: string }, { n, total }: { n: number; total: number }): void =>
  remark(colors.dim(`  ${String(n).padStart(String(total).length)} of ${total}  ${field}: ${does}`));

function report(options: MigrateOptions, result: MigrationResult & { asked?: string[] }): void {
  if (result.waiting.length > 0) process.exitCode = 1;
  if (options.json) return printJson(result);
  if (result.id === null) return print('The tables are what the model file says: nothing to do.');
  if (result.waiting.length === 0) return print(`Done: migration ${result.id}, ${plural(result.steps, 'step')}.`);
  print(`Done so far: migration ${result.id}, ${plural(result.steps, 'step')}. What is left:`);
  for (const { change } of result.waiting) print(`  ${change}`);
  const services = new Map(result.waiting.flatMap((held) => held.services.map((service) => [service.id, service])));
  for (const { host, pid } of services.values())
    print(
      colors.yellow(
        `The service of process ${pid} on ${host} runs by an older model: restart it with this model file, then run this again.`,
      ),
    );
}

/** After going back, the model file says other things than the tables; and what was dropped is not back. */
function tellAfterBack({ bare }: BackResult, asked: Plan): void {
  for (const path of bare) print(`${path} is there again; the values that it held are not back.`);
  if (asked.changes.length === 0) return;
  print('The model file still asks for what follows; change it, or the next migration does it again:');
  for (const { change } of asked.changes) print(`  ${change.sentence}`);
}
