import { ServiceProblem, ServiceTooSlow, ServiceUnreachable } from '@gather-lane/client';
import { Command, CommanderError } from 'commander';
import colors from 'picocolors';
import { accountCommands } from './commands/account.js';
import { dataCommands } from './commands/data.js';
import { feedCommands } from './commands/feed.js';
import { fieldsCommand } from './commands/fields.js';
import { modelCommand } from './commands/model.js';
import { hashtagCommands } from './commands/hashtags.js';
import { moderationCommands } from './commands/moderation.js';
import { notificationCommands } from './commands/notifications.js';
import { peopleCommands } from './commands/people.js';
import { postCommands } from './commands/posts.js';
import { reactionCommands } from './commands/reactions.js';
import { routesCommand } from './commands/routes.js';
import { serviceCommands } from './commands/service.js';
import { backupCommands } from './commands/backup.js';
import { transferCommands } from './commands/transfer.js';
import { jobCommands } from './commands/jobs.js';
import { traceCommands } from './commands/traces.js';
import { walkCommand } from './commands/walk.js';
import { weightingCommands } from './commands/weighting.js';
import { Failure } from './failure.js';
import { VERSION } from './version.js';

const DONE = 0;
const REFUSED = 1;
const WRONG_USAGE = 2;

function program(): Command {
  const command = new Command('gather-lane')
    .description('Following feeds from PostgreSQL: serve them, read them, see why each post stands where it stands.')
    .version(VERSION)
    .option('--address <url>', 'where the service is (http://127.0.0.1:7461, or GATHER_LANE_ADDRESS)')
    .option('--json', 'print JSON for other programs')
    .exitOverride()
    .configureOutput({ outputError: (text, write) => void (asJson() || write(colors.red(text))) });
  serviceCommands(command);
  accountCommands(command);
  modelCommand(command);
  fieldsCommand(command);
  dataCommands(command);
  transferCommands(command);
  backupCommands(command);
  feedCommands(command);
  postCommands(command);
  hashtagCommands(command);
  reactionCommands(command);
  notificationCommands(command);
  peopleCommands(command);
  moderationCommands(command);
  weightingCommands(command);
  routesCommand(command);
  traceCommands(command);
  jobCommands(command);
  walkCommand(command);
  everyCommand(command, []);
  return command;
}

// Global options are understood after the command too, where people write them; a mistake points to the command's own help.
function everyCommand(command: Command, above: readonly string[]): void {
  const path = [...above, command.name()];
  command.exitOverride();
  if (!asJson()) command.showHelpAfterError(`(see ${path.join(' ')} --help)`);
  if (above.length > 0)
    command.option('--json', 'print JSON for other programs').option('--address <url>', 'where the service is');
  for (const sub of command.commands) everyCommand(sub, path);
}

const asJson = (): boolean => process.argv.includes('--json');

function explain(error: unknown): { text: string; code: number } {
  if (error instanceof Failure) return { text: error.message, code: error.exitCode };
  if (error instanceof ServiceTooSlow) return { text: error.message, code: REFUSED };
  if (error instanceof ServiceUnreachable)
    return {
      text: `${error.message}\nStart the service with \`gather-lane start\` (or \`npm run demo\`), or name another with --address.`,
      code: REFUSED,
    };
  if (error instanceof ServiceProblem) return { text: explainProblem(error), code: REFUSED };
  return { text: error instanceof Error ? (error.stack ?? error.message) : String(error), code: REFUSED };
}

function explainProblem({ problem, status, code }: ServiceProblem): string {
  const errors = (problem.errors ?? []).map(({ pointer, detail }) => `  ${pointer || '/'} ${detail}`);
  const hint =
    status === 401 && code !== 'wrong-sign-in'
      ? ['Sign in with `gather-lane sign-in HANDLE`.']
      : status >= 400 && problem.type.startsWith('http')
        ? [colors.dim(`More: ${problem.type}`)]
        : [];
  const said = problem.detail.startsWith(problem.title) ? problem.detail : `${problem.title}: ${problem.detail}`;
  return [said, ...(errors.length > 1 ? errors : []), ...hint].join('\n');
}

/** A failure for other programs: what is said, the exit code, and the problem (RFC 9457) that the service answered. */
function tellAsJson(detail: string, exitCode: number, problem?: object): void {
  process.stderr.write(`${JSON.stringify({ error: { detail, exitCode, ...(problem && { problem }) } }, null, 2)}\n`);
}

// Whoever reads along may have read enough (`gather-lane feed | head`): then there is nothing left to say, and nothing went wrong.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
  // Commands that hold something end by themselves, in order, and listen too.
  if (process.stdout.listenerCount('error') === 1) process.exit();
});

try {
  await program().parseAsync(process.argv);
} catch (error) {
  if (error instanceof CommanderError) {
    // Commander has printed what was wrong; help and version are no errors.
    process.exitCode = error.exitCode === 0 ? DONE : WRONG_USAGE;
    if (asJson() && process.exitCode !== DONE) tellAsJson(error.message.replace(/^error: /, ''), WRONG_USAGE);
  } else {
    const { text, code } = explain(error);
    if (asJson()) tellAsJson(text, code, error instanceof ServiceProblem ? error.problem : undefined);
    else process.stderr.write(`${colors.red(text)}\n`);
    process.exitCode = code;
  }
}
