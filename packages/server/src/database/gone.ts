/** Connection failures (class 08), and a server that shuts down, was killed or does not take connections yet. */
const SQL_STATES = /^(08...|57P0[1235]|53300)$/;
const SYSTEM_ERRORS = ['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ENOTFOUND', 'ETIMEDOUT', 'EHOSTUNREACH'];
const MESSAGES =
  /^(Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error|Cannot use a pool after calling end|database .* is not currently accepting connections)/;

/** True for an error that means that the database is not to be reached, and not that a statement was wrong. */
export function isDatabaseGone(error: unknown): boolean {
  const { code, message, driverError } = error as { code?: string; message?: string; driverError?: unknown };
  if (driverError !== undefined && driverError !== error && isDatabaseGone(driverError)) return true;
  return SQL_STATES.test(code ?? '') || SYSTEM_ERRORS.includes(code ?? '') || MESSAGES.test(message ?? '');
}
