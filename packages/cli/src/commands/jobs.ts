import type { Job } from '@gather-lane/client';
import { sayInstant } from '@gather-lane/words';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { print, printTable } from '../output.js';

interface JobsOptions extends CommonOptions {
  readonly data?: string;
}

/** Adds `jobs`. */
export function jobCommands(program: Command): void {
  program
    .command('jobs')
    .description('What the service does now and then by itself: when, which process is at it, and how it went')
    .option('--data <folder>', 'data folder with the operator key')
    .action(action(list, showList));
}

async function list({ operator }: CommandContext<JobsOptions>): Promise<Job[]> {
  return unwrap(await operator.GET('/v1/operator/jobs')).items;
}

function showList(jobs: Job[]): void {
  if (jobs.length === 0) return print('The service has no jobs yet: it waits for its tables (gather-lane status).');
  printTable(
    [
      { head: 'DOES', width: 'rest' },
      { head: 'EVERY', align: 'right' },
      { head: 'NEXT' },
      { head: 'LAST' },
      { head: 'TOOK', align: 'right' },
      { head: 'STATE' },
    ],
    jobs.map((job) => [
      job.does,
      sayEvery(job.everySeconds),
      job.heldBy ? '' : sayInstant(job.dueAt),
      job.endedAt ? sayInstant(job.endedAt) : colors.dim('not yet'),
      job.heldBy || !job.endedAt || !job.begunAt ? '' : `${Date.parse(job.endedAt) - Date.parse(job.begunAt)} ms`,
      state(job),
    ]),
  );
}

const sayEvery = (seconds: number): string => (seconds % 60 === 0 ? `${seconds / 60} min` : `${seconds} s`);

function state({ heldBy, failures, failedWith }: Job): string {
  if (heldBy) return colors.green(`under way at ${heldBy}`);
  return failures > 0 ? colors.red(`failed ${failures} times: ${failedWith}`) : 'waiting';
}
