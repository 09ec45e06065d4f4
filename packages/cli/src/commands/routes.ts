import { ServiceUnreachable } from '@gather-lane/client';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { Failure } from '../failure.js';
import { plural, printTable, remark } from '../output.js';

type Operations = Record<string, Record<string, { 'summary'?: string; 'x-doorway'?: string; 'operationId'?: string }>>;

/** Adds `routes`. */
export function routesCommand(program: Command): void {
  program
    .command('routes')
    .description('List every route with its doorway rule: who may call it')
    .action(
      action(readRoutes, (routes) => {
        printTable(
          [{ head: 'METHOD' }, { head: 'PATH' }, { head: 'MAY CALL' }, { head: 'WHAT IT DOES', width: 'rest' }],
          routes.map(({ method, path, doorway, summary }) => [method, path, paint(doorway), summary]),
        );
        remark(colors.dim(`${plural(routes.length, 'route')}, each with a rule.`));
      }),
    );
}

async function readRoutes({ address }: CommandContext) {
  const reply = await fetch(`${address}/v1/openapi.json`, { signal: AbortSignal.timeout(30_000) }).catch(
    (error: unknown) => {
      throw new ServiceUnreachable(address, { cause: error });
    },
  );
  if (!reply.ok) throw new Failure(`${address} answers ${reply.status} for its API document: is it a Gather Lane?`);
  const { paths } = (await reply.json()) as { paths: Operations };
  return Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => ({
      method: method.toUpperCase(),
      path,
      doorway: operation['x-doorway'] ?? '',
      operation: operation.operationId ?? '',
      summary: operation.summary ?? '',
    })),
  );
}

const paint = (rule: string): string =>
  rule === 'operator'
    ? colors.magenta(rule)
    : rule.startsWith('owner')
      ? colors.yellow(rule)
      : rule === 'anyone'
        ? colors.dim(rule)
        : rule;
