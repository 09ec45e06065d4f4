import type { DataSource } from 'typeorm';
import { DatabaseFault } from '../database/database-fault.js';
import type { StatementLimits } from '../database/data-source.js';

const NOW = `
  SELECT current_user AS role, current_setting('TimeZone') AS timezone, current_setting('jit') AS jit,
    current_setting('statement_timeout') AS statement_timeout, current_setting('lock_timeout') AS lock_timeout,
    current_setting('idle_in_transaction_session_timeout') AS idle_in_transaction_session_timeout`;

/**
 * Looks whether connections behind a pooler are set as the service needs them: what a client asks for at its start a pooler leaves out,
 * so that the role has to say it.
 * @throws DatabaseFault with the statements that mend it
 */
export async function requireSettings(
  dataSource: DataSource,
  { statementSeconds, lockSeconds, idleTransactionSeconds }: StatementLimits,
): Promise<void> {
  const [{ role, ...now }] = await dataSource.query<[Record<string, string>]>(NOW);
  const wanted: Record<string, string> = {
    timezone: 'UTC',
    jit: 'off',
    statement_timeout: seconds(statementSeconds),
    lock_timeout: seconds(lockSeconds),
    idle_in_transaction_session_timeout: seconds(idleTransactionSeconds),
  };
  const other = Object.keys(wanted).filter((name) => now[name] !== wanted[name]);
  if (other.length === 0) return;
  const says = other.map((name) => `ALTER ROLE "${role}" SET ${name} = '${wanted[name]}';`);
  throw new DatabaseFault(
    'database',
    `Connections through database.pooler are not set as the service needs them (${other.map((name) => `${name} is ${now[name]}`).join(', ')}). Run, and have the pooler connect anew:\n${says.join('\n')}`,
  );
}

/** As PostgreSQL writes it. */
function seconds(n: number): string {
  if (n === 0) return '0';
  if (n % 3600 === 0) return `${n / 3600}h`;
  return n % 60 === 0 ? `${n / 60}min` : `${n}s`;
}
