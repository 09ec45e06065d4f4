import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import type { Processes, Service, StartOptions } from '@gather-lane/server';
import type { Command } from 'commander';
import colors from 'picocolors';
import { action, work, type CommandContext } from '../action.js';
import { Failure } from '../failure.js';
import { print, printJson, printTable, remark } from '../output.js';
import { progressBar } from '../progress.js';
import { wholeNumber } from './arguments.js';
import { checkDataCommand } from './check-data.js';
import { checkOwnershipCommand } from './check-ownership.js';
import { server, settings, withSettings, type SettingOptions } from '../settings.js';

/** What a start comes to: one process that serves, or several. */
type Serving = Pick<Service, 'address' | 'operatorKeyPath' | 'notReady' | 'stop'> & Partial<Pick<Processes, 'renew'>>;

/** A terminal's Ctrl-C reaches npm and this process, and npm passes it on: what comes so soon after is the same one. */
const SAME_SIGNAL_MS = 1_000;

interface StartCommandOptions extends SettingOptions {
  demo?: boolean;
  fresh?: boolean;
  migrate?: boolean;
  processes?: number;
}

/** Adds `start`, `config` and `check`. */
export function serviceCommands(program: Command): void {
  withSettings(program.command('start').description('Serve the API and the console'))
    .option('--demo', 'with the made-up Wherry Cut, on loopback only')
    .option('--fresh', 'with --demo: throw its data away and start over')
    .option('--migrate', 'run pending migrations first')
    .option('--processes <n>', 'serve with so many processes (1)', wholeNumber(1, 64))
    .action(work(({ options }: CommandContext<StartCommandOptions>) => start(options)));

  program
    .command('config')
    .description('Write a first, commented gather-lane.yaml')
    .option('--stdout', 'print it instead')
    .action(async (options: { stdout?: boolean }) => {
      const { starterConfig } = await server();
      if (options.stdout) {
        process.stdout.write(starterConfig());
        return;
      }
      const path = resolve('gather-lane.yaml');
      if (existsSync(path))
        throw new Failure(`${path} is there already and was left as it is: print a fresh one with --stdout.`);
      writeFileSync(path, starterConfig());
      print(`Wrote ${path}. Every key in it is optional.`);
    });

  const check = program.command('check').description('Look whether things are as they should be');
  checkDataCommand(check);
  checkOwnershipCommand(check);
  withSettings(check.command('setup').description('Look whether everything that the service needs is there')).action(
    action(lookAtSetup, showSetup),
  );
}

async function lookAtSetup({ options }: CommandContext<SettingOptions>) {
  const { checkSetup } = await server();
  const { config, environment, file } = await settings(options);
  const findings = await checkSetup(config, process.cwd(), environment);
  if (findings.some((finding) => finding.state === 'bad')) process.exitCode = 1;
  return { configuration: file, findings };
}

function showSetup({ configuration, findings }: Awaited<ReturnType<typeof lookAtSetup>>): void {
  const mark = { good: colors.green('good'), note: colors.yellow('note'), bad: colors.red('bad') };
  printTable(
    [{ head: 'WHAT' }, { head: 'STATE' }, { head: 'FOUND', width: 'rest' }, { head: 'WHAT TO DO', width: 'rest' }],
    [
      ['Configuration', mark.good, configuration ?? 'no gather-lane.yaml: defaults', ''],
      ...findings.map((f) => [f.what, mark[f.state], f.found, f.mend]),
    ],
  );
}

async function start(options: StartCommandOptions): Promise<void> {
  if (options.fresh && !options.demo) throw new Failure('--fresh throws data away, so it goes with --demo only.', 2);
  const {
    DatabaseFault,
    keepHeapSmall,
    loadConfig,
    oneOfMany,
    serveAsOne,
    StartRefused,
    startProcesses,
    startService,
  } = await server();
  keepHeapSmall();
  const { config, environment } = await settings(options, {
    ...(options.migrate && { 'database.migrate': true }),
    ...(options.processes !== undefined && { 'server.processes': options.processes }),
  });
  const modelFile = () =>
    loadConfig({ folder: process.cwd(), ...(options.config && { file: options.config }), environment: {} }).config
      .model;
  const within = oneOfMany();
  if (within)
    return serveAsOne(() =>
      startService({ config, environment, folder: process.cwd(), demo: false, within, modelFile, notice: remark }),
    );
  const bar = process.stderr.isTTY ? await progressBar('{step} {bar} {percentage} % · {value} of {total} rows') : null;
  let shown = false;
  let service: Serving | undefined;
  const signals = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;
  let stopping = false;
  let stoppedAt = 0;
  const end = (service: Serving): Promise<never> =>
    service.stop().then(
      () => process.exit(0),
      (error: unknown) => {
        remark(colors.red(`It stopped, but not all went well: ${(error as Error).message}`));
        process.exit(1);
      },
    );
  const stop = (): void => {
    if (stopping) {
      if (performance.now() - stoppedAt < SAME_SIGNAL_MS) return;
      remark(
        colors.red(
          '\nEnded at once: calls under way were cut, and an embedded PostgreSQL may still run. The next start finds it.',
        ),
      );
      process.exit(1);
    }
    stopping = true;
    stoppedAt = performance.now();
    remark(colors.dim('\nStopping: finishing calls under way, then the database. Once more ends it at once.'));
    if (service) void end(service);
    // While it still starts there is nothing to finish; the start below sees the flag.
  };
  for (const signal of signals) process.on(signal, stop);
  // A terminal that was closed cannot be written to, which is no reason to leave the database behind.
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => undefined);
  try {
    const wanted: StartOptions = {
      config,
      environment,
      folder: process.cwd(),
      demo: options.demo ?? false,
      fresh: options.fresh ?? false,
      modelFile,
      notice: remark,
      progress: (step, done, total) => {
        if (!shown) bar?.start(total, 0, { step });
        shown = true;
        bar?.update(done, { step });
      },
    };
    const { processes } = config.server;
    service = processes > 1 ? await startProcesses(wanted, processes) : await startService(wanted);
  } catch (error) {
    if (error instanceof StartRefused || error instanceof DatabaseFault) throw new Failure(error.message);
    throw error;
  } finally {
    bar?.stop();
  }
  if (stopping) return end(service);
  const { renew } = service;
  if (renew) process.on('SIGUSR2', () => void renew().catch((error: unknown) => remark(String(error))));
  const waits = service.notReady();
  if (options.json) printJson({ address: service.address, operatorKey: service.operatorKeyPath, notReady: waits });
  else if (waits !== null) print(waitingText(service, waits));
  else print(options.demo ? demoText(service) : startText(service));
}

const waitingText = (
  { address }: Serving,
  why: string,
): string => `Gather Lane listens on ${colors.cyan(address)}, and answers 503 until this is done:

  ${colors.yellow(why)}

Ctrl-C stops it.`;

const startText = ({ address, operatorKeyPath }: Serving): string => `Gather Lane is listening.

  Console       ${colors.cyan(address)}
  API           ${address}/docs
  Operator key  ${operatorKeyPath}

Ctrl-C stops it.`;

function demoText({ address, operatorKeyPath }: Serving): string {
  const elsewhere = address.endsWith(':7461') ? '' : ` --address ${address}`;
  return `Gather Lane is running its demo, the Wherry Cut.

  Console       ${colors.cyan(address)}
  API           ${address}/docs
  Operator key  ${operatorKeyPath}
                opens by itself: ${address}/#operator-key=${readFileSync(operatorKeyPath, 'utf8').trim()}

Sign in as      ${colors.bold('odile')}  a crew that follows 24 others
                ${colors.bold('bram')}   a lock keeper, widely followed
                ${colors.bold('wren')}   new, follows nobody
Password        tidewick-demo, for all of them

In another terminal, try
  npx gather-lane sign-in odile${elsewhere}
  npx gather-lane feed --order score --place${elsewhere}
  npx gather-lane post "Moored below Candle Lock. #moorings"${elsewhere}

Ctrl-C stops it.`;
}
