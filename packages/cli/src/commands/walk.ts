import { createRequire } from 'node:module';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import type { Command } from 'commander';
import colors from 'picocolors';
import { work, type CommandContext } from '../action.js';
import { addressOf, type CommonOptions } from '../context.js';
import { toJUnit } from '../junit.js';
import { print, printJson } from '../output.js';
import type { WalkedService, WalkResult } from '../walks/run-file.js';
import { showResult, showStep, walkAsSuite } from '../walks/show-walk.js';
import { throwAwayDemo, type ThrowAwayDemo } from '../walks/throw-away-demo.js';

interface WalkOptions extends CommonOptions {
  readonly demo?: boolean;
  readonly junit?: boolean;
  readonly data?: string;
}

/** Adds `walk`. */
export function walkCommand(program: Command): void {
  program
    .command('walk')
    .argument('[files...]', 'walk files; the eight that come with Gather Lane unless said')
    .description('Make the calls of a walk one after another, and say where what came is not what was expected')
    .option('--demo', 'against a demo of its own, which is thrown away afterwards')
    .option('--junit', 'print JUnit XML for a pipeline')
    .option('--data <folder>', 'data folder with the operator key, for walks that look at rows')
    .action(work(walk));
}

async function walk({ options }: CommandContext<WalkOptions>, files: readonly string[]): Promise<void> {
  const chosen = files.length > 0 ? files : shippedWalks();
  const demo = options.demo ? await throwAwayDemo() : null;
  const interrupted = demo && (() => void demo.stop().finally(() => process.exit(1)));
  if (interrupted) for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, interrupted);
  try {
    await walkAll(chosen, options, demo);
  } finally {
    await demo?.stop();
  }
}

async function walkAll(files: readonly string[], options: WalkOptions, demo: ThrowAwayDemo | null): Promise<void> {
  const service: WalkedService = demo ?? { address: addressOf(options), operatorKey: operatorKey(options) };
  const quiet = options.json || options.junit;
  // What reads and runs walks is loaded by those who walk.
  const { runFile } = await import('../walks/run-file.js');
  const results: WalkResult[] = [];
  for (const file of files) {
    if (!quiet) print(colors.bold(`${results.length > 0 ? '\n' : ''}${shown(file)}`));
    const result = await runFile(file, service, quiet ? () => undefined : showStep);
    results.push({ ...result, file: shown(file) });
    if (!quiet) showResult({ ...result, file: shown(file) });
  }
  const missed = results.filter(({ met }) => !met).length;
  if (missed > 0) process.exitCode = 1;
  const seconds = results.reduce((sum, each) => sum + each.seconds, 0);
  if (options.json) printJson({ address: service.address, met: missed === 0, walks: results });
  else if (options.junit) process.stdout.write(toJUnit('walks', results.map(walkAsSuite), seconds));
  else if (files.length > 1)
    print(
      missed === 0
        ? colors.green(`\n✓ ${results.length} walks`)
        : colors.red(`\n✗ ${missed} of ${results.length} walks`),
    );
}

const shown = (file: string): string => {
  const near = relative(process.cwd(), file);
  return near.startsWith('..') ? file.split('/').at(-1)! : near;
};

function operatorKey({ data }: WalkOptions): string | null {
  const path = resolve(data ?? '.gather-lane', 'operator.key');
  return process.env.GATHER_LANE_OPERATOR_KEY ?? (existsSync(path) ? readFileSync(path, 'utf8').trim() : null);
}

/** The walks that come with Gather Lane. */
function shippedWalks(): string[] {
  const folder = dirname(createRequire(import.meta.url).resolve('@gather-lane/core/walks/react-twice.yaml'));
  return readdirSync(folder)
    .filter((file) => file.endsWith('.yaml'))
    .sort()
    .map((file) => join(folder, file));
}
