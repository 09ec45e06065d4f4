import type { OwnershipCheck } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { print, printTable, remark } from '../output.js';
import { ownershipAsJUnit } from '../ownership-junit.js';

interface CheckOptions extends CommonOptions {
  readonly data?: string;
  readonly only?: string;
  readonly junit?: boolean;
}

/** Adds `check ownership`. */
export function checkOwnershipCommand(check: Command): void {
  check
    .command('ownership')
    .description('Try every route as everybody, on throw-away users, against the running service')
    .option('--only <operations>', 'some operations alone, with commas between')
    .option('--junit', 'print JUnit XML for a pipeline')
    .option('--data <folder>', 'data folder with the operator key')
    .action(
      action(tryRoutes, (result, { options }) => {
        if (options.junit) process.stdout.write(ownershipAsJUnit(result));
        else show(result);
      }),
    );
}

async function tryRoutes({ operator, options }: CommandContext<CheckOptions>): Promise<OwnershipCheck> {
  const only = options.only?.split(',').map((name) => name.trim());
  if (process.stderr.isTTY) remark('Trying every route as everybody: this takes some seconds.');
  const result = unwrap(await operator.POST('/v1/operator/ownership-checks', { body: only ? { only } : {} }));
  if (result.faults > 0) process.exitCode = 1;
  return result;
}

const HEADS = ['NOBODY', 'ANOTHER', 'BLOCKED', 'OWNER', 'MODERATOR', 'OPERATOR'];

function show({ routes, calls, faults }: OwnershipCheck): void {
  printTable(
    [{ head: 'OPERATION' }, { head: 'RULE' }, ...HEADS.map((head) => ({ head, align: 'right' as const }))],
    routes.map(({ operationId, rule, cells, faults: wrong }) => [
      wrong.length > 0 ? colors.red(operationId) : operationId,
      rule,
      ...cells.map(({ status, fault }) =>
        fault ? colors.red(`${status ?? ''} ✗`) : status === null ? colors.dim('spared') : paint(status),
      ),
    ]),
  );
  print();
  for (const { method, path, cells, faults: wrong } of routes)
    for (const says of [
      ...wrong,
      ...cells.filter(({ fault }) => fault).map(({ role, says: what }) => `${role}: ${what}`),
    ])
      print(colors.red(`✗ ${method} ${path}: ${says}`));
  print(
    faults === 0
      ? `${colors.green('✓')} ${routes.length} routes, ${calls} calls: everybody met what the rules say, and no row changed that should not.`
      : colors.red(`${faults} faults in ${routes.length} routes, ${calls} calls.`),
  );
}

const paint = (status: number): string => (status < 400 ? colors.green(String(status)) : colors.dim(String(status)));
