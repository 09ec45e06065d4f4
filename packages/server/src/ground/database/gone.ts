import { QueryRunnerAlreadyReleasedError } from 'typeorm';

/** Connection failures (class 08), a server that shuts down, was killed, takes no connections yet, or only lets read. */
const SQL_STATES = /^(08...|57P0[1235]|53300|25006|25P03)$/;
const SYSTEM_ERRORS = [
  'ECONNREFUSED',
  'NO_SOCKET',
  'ECONNRESET',
  'EPIPE',
  'ENOTFOUND',
  'ETIMEDOUT',
  'EHOSTUNREACH',
  'EAI_AGAIN',
  'NO_PRIMARY',
];
const MESSAGES =
  /^(Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error|Query read timeout|Cannot use a pool after calling end|database .* is not currently accepting connections)/;
/** What happens before a statement is sent: it was certainly not done. */
const NEVER_SENT =
  /^(timeout exceeded when trying to connect|Cannot use a pool after calling end|database .* is not currently)/;
const NEVER_SENT_STATES = [
  '53300',
  '57P03',
  '25006',
  'ECONNREFUSED',
  'NO_SOCKET',
  'ENOTFOUND',
  'EHOSTUNREACH',
  'EAI_AGAIN',
  'NO_PRIMARY',
];
const TOO_SLOW = ['57014', '55P03'];
const FULL = ['53100', 'ENOSPC'];

interface Failure {
  readonly code?: string;
  readonly syscall?: string;
  readonly message?: string;
  readonly driverError?: unknown;
}

/** The failure itself and the one that it wraps. */
function either(error: unknown, is: (failure: Failure) => boolean): boolean {
  const failure = (error ?? {}) as Failure;
  const inner = failure.driverError;
  return is(failure) || (inner !== undefined && inner !== error && either(inner, is));
}

/** What a failure says it is. That a Unix socket is not there is told from a file that is not. */
const codeOf = ({ code = '', syscall }: Failure): string =>
  code === 'ENOENT' && syscall === 'connect' ? 'NO_SOCKET' : code;

/** True for an error that means that the database is not to be reached or written, and not that a statement was wrong. */
export const isDatabaseGone = (error: unknown): boolean =>
  error instanceof QueryRunnerAlreadyReleasedError ||
  either(
    error,
    (failure) =>
      SQL_STATES.test(codeOf(failure)) ||
      SYSTEM_ERRORS.includes(codeOf(failure)) ||
      MESSAGES.test(failure.message ?? ''),
  );

/** True for a connection that broke after a statement may have been sent: nobody knows whether it was done. */
export const wasCutOff = (error: unknown): boolean =>
  isDatabaseGone(error) &&
  !(error instanceof QueryRunnerAlreadyReleasedError) &&
  !either(error, (failure) => NEVER_SENT_STATES.includes(codeOf(failure)) || NEVER_SENT.test(failure.message ?? ''));

/** True for a statement that took longer, or waited longer for a lock, than the limits allow. */
export const isTooSlow = (error: unknown): boolean => either(error, ({ code = '' }) => TOO_SLOW.includes(code));

/** True where there is no room left on the disk: the database's, or that of the pictures. */
export const isDiskFull = (error: unknown): boolean => either(error, ({ code = '' }) => FULL.includes(code));

/** The connection broke while a write was being confirmed: it may have been done, or not. */
export class OutcomeUnknown extends Error {
  override readonly name = 'OutcomeUnknown';
}
