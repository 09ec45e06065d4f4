import type { RowChange, Trace, TracedCall } from '@gather-lane/client';
import { sayInstant } from '@gather-lane/words';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { print, printTable } from '../output.js';

interface TracesOptions extends CommonOptions {
  readonly data?: string;
  readonly method?: string;
  readonly route?: string;
  readonly caller?: string;
  readonly status?: string;
  readonly warned?: boolean;
  readonly limit?: string;
}

/** Adds `traces` and `trace`. */
export function traceCommands(program: Command): void {
  program
    .command('traces')
    .description('The calls that were made lately, with how long they took and how many rows they changed')
    .option('--method <method>', 'GET, POST, PUT, PATCH or DELETE')
    .option('--route <route>', 'as the API document writes it: /v1/posts/{post}')
    .option('--caller <caller>', 'nobody, operator, user or a @handle')
    .option('--status <status>', 'one, as 404, or a class, as 4xx')
    .option('--warned', 'only those with a warning')
    .option('--limit <n>', 'how many', '20')
    .option('--data <folder>', 'data folder with the operator key')
    .action(action(list, showList));

  program
    .command('trace')
    .argument('<id>', 'the id of a trace, as a reply names it in Gather-Trace, or its last characters')
    .description('What a call did: its statements, and the rows that it changed, before and after')
    .option('--data <folder>', 'data folder with the operator key')
    .action(action(one, showTrace));
}

async function list({ operator, options }: CommandContext<TracesOptions>): Promise<TracedCall[]> {
  const { method, route, caller, status, warned, limit } = options;
  const query = {
    limit: Number(limit),
    ...(method && { method: method.toUpperCase() }),
    ...(route && { route }),
    ...(caller && { caller }),
    ...(status && { status }),
    ...(warned && { warned }),
  };
  const { items } = unwrap(await operator.GET('/v1/operator/traces', { params: { query } }));
  return items;
}

function showList(items: TracedCall[], context: CommandContext<TracesOptions>): void {
  if (items.length === 0) return print('No call fits: make one, and look again.');
  context.shows(items.map(({ id }) => id));
  printTable(
    [
      { head: 'ID' },
      { head: 'AT' },
      { head: 'CALL', width: 'rest' },
      { head: 'CALLER' },
      { head: 'STATUS', align: 'right' },
      { head: 'MS', align: 'right' },
      { head: 'STATEMENTS', align: 'right' },
      { head: 'ROWS', align: 'right' },
      { head: '' },
    ],
    items.map(({ id, startedAt, method, route, caller, status, ms, statements, rows, warnings }) => [
      colors.dim(id.slice(-6)),
      sayInstant(startedAt),
      `${method} ${route}`,
      caller.handle ? `@${caller.handle}` : caller.kind,
      paint(status),
      ms.toFixed(1),
      String(statements),
      String(rows),
      warnings > 0 ? colors.yellow(`${warnings} ⚠`) : '',
    ]),
  );
}

const paint = (status: number | null): string =>
  status === null ? colors.red('cut off') : status < 400 ? colors.green(String(status)) : colors.red(String(status));

async function one(context: CommandContext<TracesOptions>, id: string): Promise<Trace> {
  const trace = context.whole(id);
  return unwrap(await context.operator.GET('/v1/operator/traces/{trace}', { params: { path: { trace } } }));
}

function showTrace(trace: Trace): void {
  const { method, path, caller, status, problem, ms, statements, rows, warnings, moreRows, moreStatements } = trace;
  const who = caller.handle ? `@${caller.handle}` : caller.kind;
  print(
    `${colors.bold(`${method} ${path}`)}  as ${who}  ${paint(status)}${problem ? ` ${problem}` : ''}  ${ms.toFixed(1)} ms\n`,
  );
  printTable(
    [
      { head: '', align: 'right' },
      { head: 'STATEMENT', width: 'rest' },
      { head: 'FROM' },
      { head: 'MS', align: 'right' },
      { head: 'ROWS', align: 'right' },
      { head: 'TRANSACTION', align: 'right' },
    ],
    statements.map(({ text, capability, ms: took, rows: came, transaction, shared, error }, n) => [
      String(n),
      `${shortened(text)}${error ? colors.red(` failed: ${error}`) : ''}${shared > 1 ? colors.dim(` (for ${shared} calls together)`) : ''}`,
      capability ?? '',
      took?.toFixed(1) ?? '',
      came === null ? '' : String(came),
      transaction === null ? '' : String(transaction),
    ]),
  );
  if (moreStatements > 0) print(colors.dim(`and ${moreStatements} statements more`));
  print();
  if (rows.length === 0) print('No row was changed.');
  for (const row of rows) showRow(row);
  if (moreRows > 0) print(colors.dim(`and ${moreRows} rows more`));
  for (const { says } of warnings) print(`\n${colors.yellow('⚠')} ${says}`);
}

const MARKS = { inserted: colors.green('+'), changed: colors.yellow('~'), deleted: colors.red('-') };

function showRow({ table, act, before, after, changed, by, statement, undone }: RowChange): void {
  const of = act === 'changed' ? changed : Object.keys(after ?? before ?? {});
  const cells = of.map((name) => {
    const [was, is] = [value(before?.[name]), value(after?.[name])];
    if (before && !(name in before) && after && !(name in after)) return `${name} ${colors.dim('masked')}`;
    return act === 'changed' ? `${name} ${colors.dim(was)} → ${is}` : `${name} ${act === 'deleted' ? was : is}`;
  });
  const key = act === 'changed' ? colors.dim(` ${keyOf(after ?? before ?? {})}`) : '';
  const who = [by === null ? '' : `by ${by}`, undone ? 'rolled back' : ''].filter((text) => text !== '').join(', ');
  print(`${MARKS[act]} ${colors.bold(table)}${key}  ${colors.dim(`statement ${statement}${who && `, ${who}`}`)}`);
  print(`    ${cells.join('  ')}`);
}

const keyOf = (row: Readonly<Record<string, unknown>>): string => value(Object.values(row)[0]);
const value = (given: unknown): string => {
  const text =
    given === null || given === undefined ? 'NULL' : typeof given === 'string' ? given : JSON.stringify(given);
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
};
const shortened = (text: string): string => {
  const line = text.replace(/\s+/g, ' ').trim();
  return line.length > 110 ? `${line.slice(0, 109)}…` : line;
};
