import { createInterface } from 'node:readline/promises';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { withDatabase } from '../database.js';
import { Failure } from '../failure.js';
import { plural, print, remark } from '../output.js';
import { progressBar } from '../progress.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';
import { wholeNumber } from './arguments.js';

interface FillOptions extends SettingOptions {
  users: number;
  posts: number;
  follows?: number;
  comments?: number;
  reactions?: number;
  days: number;
  seed: number;
  again?: boolean;
  amongReal?: boolean;
}

const FOLLOWS_EACH = 20;
const REACTIONS_EACH = 3;
const MOST = 1_000_000_000;

/** Adds `fill` and `empty`. */
export function dataCommands(program: Command): void {
  withSettings(
    program
      .command('fill')
      .description('Fill the database with believable made-up people, posts, follows, comments and reactions'),
  )
    .option('--users <n>', 'how many users; 0 lets those who are there post', wholeNumber(0, MOST), 100)
    .option('--posts <n>', 'how many posts', wholeNumber(0, MOST), 1_000)
    .option('--follows <n>', 'how many follows (20 for each user)', wholeNumber(0, MOST))
    .option('--comments <n>', 'how many comments (as many as posts)', wholeNumber(0, MOST))
    .option('--reactions <n>', 'how many reactions to posts (3 for each post)', wholeNumber(0, MOST))
    .option('--days <n>', 'over how many days the posts spread', wholeNumber(1, 3_650), 30)
    .option('--seed <n>', 'the same seed makes the same rows', wholeNumber(0, 2_147_483_647), 1)
    .option('--again', 'go on with the last fill that was interrupted')
    .option('--among-real', 'also where real accounts are')
    .action(action(runFill, showFilled));

  withSettings(program.command('empty').description('Start over: take every user and all that they made away'))
    .option('--yes', 'without asking')
    .option('--among-real', 'also where real accounts are')
    .action(action(startOver, () => print('The database is empty.')));
}

async function startOver({
  options,
}: CommandContext<SettingOptions & { yes?: boolean; amongReal?: boolean }>): Promise<{ emptied: true }> {
  await withDatabase(options, async ({ dataSource, plan, address }) => {
    const { empty, sayAddress } = await server();
    if (!options.yes) await confirmEmpty(sayAddress(address));
    await empty(dataSource, { plan, amongReal: options.amongReal ?? false });
  });
  return { emptied: true };
}

async function confirmEmpty(which: string): Promise<void> {
  if (!process.stdin.isTTY) throw new Failure('There is no terminal to ask on: add --yes if everything is to go.', 2);
  const terminal = createInterface({ input: process.stdin, output: process.stderr });
  const answer = await terminal.question(`Everything in the database ${which} goes. Type "empty" to go on: `);
  terminal.close();
  if (answer.trim() !== 'empty') throw new Failure('Nothing was changed.');
}

async function runFill({ options }: CommandContext<FillOptions>): Promise<Filled> {
  const { users, posts, days, seed } = options;
  const follows = options.follows ?? users * FOLLOWS_EACH;
  const comments = options.comments ?? posts;
  const reactions = options.reactions ?? posts * REACTIONS_EACH;
  const started = Date.now();
  const watched = process.stderr.isTTY;
  const format = '{phase} {bar} {percentage} % · {rows} rows · {rate} a second · {eta_formatted} left';
  const bar = await progressBar(format, {
    // What is beside the bar takes so much, and is worth more than the bar where there is little room.
    barsize: Math.min(40, Math.max(8, (process.stderr.columns ?? 80) - 82)),
    etaBuffer: 30,
  });
  let batch = 0;
  try {
    const { config } = await settings(options);
    const result = await withDatabase(options, async ({ dataSource, plan }) => {
      const { fill } = await server();
      const kinds = config.reactions.map(({ name }) => name);
      const order = { users, posts, follows, comments, reactions, kinds, days, seed };
      return fill(dataSource, options.again ? 'again' : order, {
        plan,
        amongReal: options.amongReal ?? false,
        model: config.model,
        deepest: config.limits.depth,
        progress: (at) => {
          const rate = Math.round((at.rows / (Date.now() - started)) * 1000).toLocaleString('en-GB');
          const shown = { phase: at.phase.padEnd(23), rows: at.rows.toLocaleString('en-GB'), rate };
          if (watched && batch === 0) bar.start(at.batches, at.batch - 1, shown);
          batch = at.batch;
          if (watched) bar.update(at.batch, shown);
        },
      });
    });
    bar.stop();
    return { ...result, seconds: (Date.now() - started) / 1000 };
  } catch (error) {
    bar.stop();
    if (error instanceof Failure) throw error;
    throw new Failure(
      `${(error as Error).message}\nIt was interrupted after ${plural(batch, 'whole batch', 'whole batches')}, which are in; nothing of the next is. Go on with --again.`,
    );
  }
}

interface Filled {
  readonly rows: Record<string, number>;
  readonly seconds: number;
}

function showFilled(result: Filled): void {
  const made = Object.entries(result.rows)
    .filter(([table]) => table !== 'credentials')
    .map(
      ([table, rows]) =>
        `${rows.toLocaleString('en-GB')} ${(rows === 1 ? table.slice(0, -1) : table).replace('_', ' ')}`,
    );
  print(`Made ${made.join(', ') || 'nothing'} in ${result.seconds.toFixed(1)} s.`);
  if (result.rows.users)
    remark('Made-up users sign in with the demo’s password, and only to a service started with --demo.');
}
