import { userInfo } from 'node:os';
import type { Client, Weighting, WeightingTrial } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, userRef, type CommonOptions } from '../context.js';
import { sayDuration, sayInstant } from '@gather-lane/words';
import { durationOf } from '../duration.js';
import { Failure } from '../failure.js';
import { harmless, print, printTable, remark } from '../output.js';
import { progressBar } from '../progress.js';
import { wholeNumber } from './arguments.js';

interface OperatorOptions extends CommonOptions {
  readonly data?: string;
}
interface NumberOptions extends OperatorOptions {
  readonly halfLife?: string;
  readonly base?: string;
}
interface TryOptions extends NumberOptions {
  readonly for?: string;
  readonly depth: number;
  readonly sample: number;
}
interface AdoptOptions extends NumberOptions {
  readonly note: string;
  readonly by: string;
  readonly wait: boolean;
}

const EVERY_MS = 300;
const WEIGHTS = 'A weight is an option of its kind’s name: --like 2 --comment 3 --dislike -1.';

/** Adds `weighting` with `try`, `adopt`, `back` and `cancel`. */
export function weightingCommands(program: Command): void {
  const weighting = program
    .command('weighting')
    .description('The numbers behind lane time: the weighting in force, and those before it')
    .option('--data <folder>', 'data folder with the operator key')
    .action(action(listAll, showAll));

  withNumbers(weighting.command('try').description('What other numbers would do; nothing is written'))
    .option('--for <user>', 'in whose feed; without one a sample of viewers alone')
    .option('--depth <n>', 'how many posts of that feed', wholeNumber(1, 100), 20)
    .option('--sample <n>', 'how many other viewers', wholeNumber(0, 200), 20)
    .action(action(tryNumbers, showTrial));

  withNumbers(weighting.command('adopt').description('Adopt other numbers: built in the background, then put in force'))
    .option('--note <text>', 'why, for the history', '')
    .option('--by <name>', 'who, for the history', userInfo().username)
    .option('--no-wait', 'do not wait until it is in force')
    .action(
      action(
        (context: CommandContext<AdoptOptions>) => adopt(context, numbersOf(context.options, context.rest)),
        showAdopted,
      ),
    );

  weighting
    .command('back')
    .description('Go back to the numbers of an earlier version')
    .argument('<version>', 'as `gather-lane weighting` lists it', wholeNumber(1, 2_147_483_647))
    .option('--note <text>', 'why, for the history', '')
    .option('--by <name>', 'who, for the history', userInfo().username)
    .option('--no-wait', 'do not wait until it is in force')
    .option('--data <folder>', 'data folder with the operator key')
    .action(
      action((context: CommandContext<AdoptOptions>, earlier: number) => adopt(context, { earlier }), showAdopted),
    );

  weighting
    .command('cancel')
    .description('Cancel a weighting that is being built')
    .option('--data <folder>', 'data folder with the operator key')
    .action(action(cancel, ({ cancelled }) => print(`Weighting ${cancelled} is cancelled; feeds go on as they are.`)));
}

function withNumbers(command: Command): Command {
  return command
    .option('--half-life <length>', 'how much time a doubling of engagement is worth, like 4h')
    .option('--base <n>', 'damps the first few acts')
    .option('--data <folder>', 'data folder with the operator key')
    .addHelpText('after', `\n${WEIGHTS} What is not named stays as it is.`)
    .allowUnknownOption()
    .allowExcessArguments();
}

/** The numbers that options name; weights are whatever else is said as `--kind number`. */
function numbersOf({ halfLife, base }: NumberOptions, rest: readonly string[]) {
  const weights: Record<string, number> = {};
  const words = rest.flatMap((word) => (word.startsWith('--') && word.includes('=') ? word.split('=', 2) : [word]));
  for (let i = 0; i < words.length; i += 2) {
    const [kind, weight] = [/^--([a-z][a-z0-9_]*)$/.exec(words[i]!)?.[1], Number(words[i + 1])];
    if (kind === undefined || words[i + 1] === undefined || Number.isNaN(weight))
      throw new Failure(`"${words.slice(i, i + 2).join(' ')}" is not understood. ${WEIGHTS}`, 2);
    weights[kind] = weight;
  }
  if (base !== undefined && Number.isNaN(Number(base)))
    throw new Failure(`--base must be a number, but is "${base}".`, 2);
  return {
    ...(halfLife !== undefined && { halfLifeMs: durationOf(halfLife) }),
    ...(base !== undefined && { base: Number(base) }),
    ...(Object.keys(weights).length > 0 && { weights }),
  };
}

const numbers = ({ halfLifeMs, base, weights }: Pick<Weighting, 'halfLifeMs' | 'base' | 'weights'>): string =>
  `half-life ${sayDuration(halfLifeMs)}, base ${base}${Object.entries(weights)
    .map(([kind, weight]) => `, ${kind} ${weight}`)
    .join('')}`;

async function listAll({ operator }: CommandContext<OperatorOptions>): Promise<Weighting[]> {
  return unwrap(await operator.GET('/v1/operator/weightings')).items;
}

function showAll(items: readonly Weighting[]): void {
  printTable(
    [
      { head: 'VERSION', align: 'right' },
      { head: 'STATE' },
      { head: 'ADOPTED' },
      { head: 'BY' },
      { head: 'HALF-LIFE' },
      { head: 'BASE', align: 'right' },
      { head: 'WEIGHTS', width: 'rest' },
      { head: 'STAYED', align: 'right' },
      { head: 'NOTE', width: 'rest' },
    ],
    items.map((each) => [
      String(each.id),
      each.state === 'in-force' ? colors.green('in force') : each.state,
      sayInstant(each.createdAt),
      harmless(each.by),
      sayDuration(each.halfLifeMs),
      String(each.base),
      Object.entries(each.weights)
        .map(([kind, weight]) => `${kind} ${weight}`)
        .join(', '),
      each.effect?.change ? percent(each.effect.change.kept) : '',
      harmless(each.note),
    ]),
  );
  remark(colors.dim('STAYED: how much of the first pages of a sample of viewers was the same afterwards.'));
}

const percent = (share: number): string => `${Math.round(share * 100)} %`;
const age = (ms: number | null): string => (ms === null ? '–' : sayDuration(ms));

async function tryNumbers({ operator, options, rest }: CommandContext<TryOptions>): Promise<WeightingTrial> {
  const { depth, sample } = options;
  return unwrap(
    await operator.POST('/v1/operator/weighting-trials', {
      body: {
        ...numbersOf(options, rest),
        depth,
        sample,
        ...(options.for !== undefined && { viewer: userRef(options.for) }),
      },
    }),
  );
}

function showTrial(trial: WeightingTrial): void {
  print(`Now:   ${numbers(trial.now)} ${colors.dim(`(version ${trial.now.id})`)}`);
  print(`Tried: ${numbers(trial.tried)}`);
  if (trial.viewer) showViewer(trial.viewer);
  if (trial.sample?.change) showSample(trial.sample);
  remark(colors.dim('Nothing was written. Adopt it with `gather-lane weighting adopt` and the same options.'));
}

function showViewer({ handle, posts, change }: NonNullable<WeightingTrial['viewer']>): void {
  print(
    `\nThe feed of @${handle}: ${percent(change.kept)} of the first page stays, rank correlation ${change.correlation.toFixed(2)}.\n`,
  );
  const moved = (now: number | null, then: number | null): string => {
    if (now === null) return colors.green('new');
    if (then === null) return colors.red('gone');
    const up = now - then;
    return up === 0 ? colors.dim('=') : up > 0 ? colors.green(`▲ ${up}`) : colors.red(`▼ ${-up}`);
  };
  const rows = [...posts].sort((a, b) => (a.then?.rank ?? 1_000) - (b.then?.rank ?? 1_000));
  printTable(
    [
      { head: 'THEN', align: 'right' },
      { head: 'NOW', align: 'right' },
      { head: 'MOVED' },
      { head: 'LIFT', align: 'right' },
      { head: 'BY' },
      { head: 'POSTED' },
      { head: 'POST', width: 'rest' },
    ],
    rows.map(({ now, then, handle: by, createdAt, text }) => [
      then ? String(then.rank) : '',
      now ? String(now.rank) : '',
      moved(now?.rank ?? null, then?.rank ?? null),
      then ? then.lift.toFixed(2) : '',
      `@${by}`,
      sayInstant(createdAt),
      harmless(text).split('\n')[0]!,
    ]),
  );
}

function showSample({ viewers, change }: NonNullable<WeightingTrial['sample']>): void {
  if (!change) return;
  const { correlation, kept, now, then } = change;
  print(`\nOver the first pages of ${viewers} viewers:\n`);
  printTable(
    [{ head: '' }, { head: 'NOW', align: 'right' }, { head: 'THEN', align: 'right' }],
    [
      ['median age of the posts', age(now.medianAgeMs), age(then.medianAgeMs)],
      ['share of authors seen', percent(now.authorsSeen), percent(then.authorsSeen)],
      ['what stays of the page', '', percent(kept)],
      ['rank correlation', '', correlation.toFixed(2)],
    ],
  );
}

async function adopt({ operator, options }: CommandContext<AdoptOptions>, wanted: object): Promise<Weighting> {
  const { note, by } = options;
  const begun = unwrap(await operator.POST('/v1/operator/weightings', { body: { ...wanted, note, by } }));
  return options.wait ? untilBuilt(operator, begun) : begun;
}

function showAdopted(done: Weighting): void {
  if (done.state === 'building')
    return print(
      `Weighting ${done.id} is being built: ${numbers(done)}. Feeds are served from the old one until it is done.`,
    );
  if (done.state !== 'in-force')
    throw new Failure(`Weighting ${done.id} did not come into force: it is ${done.state}.`);
  print(`Weighting ${done.id} is in force: ${numbers(done)}.`);
  if (done.effect?.change)
    print(
      `${percent(done.effect.change.kept)} of the first pages of ${done.effect.viewers} viewers stayed as they were.`,
    );
}

async function untilBuilt(client: Client, begun: Weighting): Promise<Weighting> {
  const bar = await progressBar('{phase} {bar} {value} of {total} posts · {left}');
  const watched = process.stderr.isTTY;
  let [now, shown] = [begun, false];
  while (now.state === 'building') {
    await new Promise((resolve) => setTimeout(resolve, EVERY_MS));
    now = unwrap(
      await client.GET('/v1/operator/weightings/{weighting}', { params: { path: { weighting: begun.id } } }),
    );
    if (!watched || !now.progress?.toBuild) continue;
    const { phase, built, toBuild, secondsLeft } = now.progress;
    const words = { phase: phase.padEnd(11), left: secondsLeft === null ? '' : `about ${secondsLeft} s left` };
    if (shown) bar.update(built, words);
    else bar.start(toBuild, built, words);
    shown = true;
  }
  bar.stop();
  return now;
}

async function cancel(context: CommandContext<OperatorOptions>): Promise<{ cancelled: number }> {
  const building = (await listAll(context)).find(({ state }) => state === 'building');
  if (!building) throw new Failure('No weighting is being built.');
  const path = { weighting: building.id };
  unwrap(await context.operator.DELETE('/v1/operator/weightings/{weighting}', { params: { path } }));
  return { cancelled: building.id };
}
