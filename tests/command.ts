import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';

/** The built command. */
export const COMMAND = join(process.cwd(), 'packages/cli/bin/gather-lane.js');

/** What the tests tell V8, where they tell it something: commands that they start are gone as soon as they are. */
const V8_FLAGS = process.execArgv.filter((flag) => flag.startsWith('--interrupt-budget'));

/** What a run of the command left behind. */
export interface Run {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

interface Options {
  readonly cwd?: string;
  readonly env?: Record<string, string>;
  readonly input?: string;
}

/** The environment without what the machine's own shell may set. */
export const clean = (env: Record<string, string> = {}): NodeJS.ProcessEnv => {
  const inherited = Object.entries(process.env).filter(
    ([name]) => !/^(GATHER_LANE_|PG[A-Z]+$|NODE_OPTIONS$|FORCE_COLOR$)/.test(name),
  );
  return { ...Object.fromEntries(inherited), NO_COLOR: '1', ...env };
};

/** Runs the command to its end. */
export function run(args: string[], { cwd, env, input }: Options = {}): Promise<Run> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [...V8_FLAGS, COMMAND, ...args], { env: clean(env), ...(cwd && { cwd }) });
    let [out, err] = ['', ''];
    child.stdout.on('data', (chunk) => (out += String(chunk)));
    child.stderr.on('data', (chunk) => (err += String(chunk)));
    child.on('close', (code) => resolve({ code, out, err }));
    child.stdin.end(input);
  });
}

/** A service that the command started. */
export interface Started {
  readonly child: ChildProcess;
  readonly address: string;
  readonly operatorKey: string;
  /** Why it cannot work yet, or null. */
  readonly notReady: string | null;
  /** What it said on standard error so far. */
  readonly said: () => string;
  /** Once it is gone: the code that it exited with. */
  readonly ended: Promise<number | null>;
  /** Ends it and waits until it is gone. */
  stop(signal?: NodeJS.Signals): Promise<number | null>;
}

/** Starts a service with the command and waits until it listens. Fails with what it said when it ends first. */
export const start = (args: string[], options: Options = {}): Promise<Started> => startCommand(COMMAND, args, options);

/** The same with a command that was installed elsewhere. */
export function startCommand(command: string, args: string[], { cwd, env }: Options = {}): Promise<Started> {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [...V8_FLAGS, command, 'start', '--json', '--port', '0', ...args], {
      // Some tests call as fast as they can.
      env: clean({ GATHER_LANE_RATES_CALLS_PER_MINUTE: '100000', ...env }),
      ...(cwd && { cwd }),
    });
    let [out, err] = ['', ''];
    const ended = new Promise<number | null>((done) => child.once('close', done));
    void ended.then((code) => reject(new Error(`the service ended with ${code}: ${err}`)));
    child.stderr.on('data', (chunk) => (err += String(chunk)));
    child.stdout.on('data', (chunk) => {
      out += String(chunk);
      if (!out.trimEnd().endsWith('}')) return;
      const { address, operatorKey, notReady } = JSON.parse(out) as Pick<
        Started,
        'address' | 'operatorKey' | 'notReady'
      >;
      const stop = (signal: NodeJS.Signals = 'SIGTERM') => (child.kill(signal), ended);
      resolve({ child, address, operatorKey, notReady, said: () => err, ended, stop });
    });
  });
}
