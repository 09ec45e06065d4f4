import { sayServers, type DatabaseAddress } from './address.js';
import { clientFor } from './connection.js';
import { DatabaseFault } from './database-fault.js';
import { sqlState } from './transaction.js';

/** The oldest PostgreSQL that the service works with: transition tables with `SET NULL (column)`. */
export const OLDEST_POSTGRES = 15;

/** What went wrong in connecting to an address, in words. */
export function explainConnectError(error: unknown, address: DatabaseAddress): DatabaseFault {
  const { code, message } = error as { code?: string; message: string };
  const { host, user, database } = address;
  const servers = sayServers(address);
  const options = { cause: error };
  switch (code) {
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return new DatabaseFault('host', `The database host "${host}" has no address: correct the name.`, options);
    case 'NO_PRIMARY':
      return new DatabaseFault(
        'host',
        `None of the servers at ${servers} can be reached and takes writes: start them, wait until one is made the primary, or correct the address.`,
        options,
      );
    case 'ECONNREFUSED':
    case 'ENOENT':
      return new DatabaseFault(
        'host',
        `Nothing listens for PostgreSQL at ${servers}: start the server, or correct host and port.`,
        options,
      );
    case '28P01':
      return new DatabaseFault(
        'password',
        `PostgreSQL at ${servers} refuses the password of role "${user}": correct PGPASSWORD or the address.`,
        options,
      );
    case '28000':
      return new DatabaseFault(
        'role',
        `PostgreSQL at ${servers} does not let role "${user}" in: create the role (createuser ${user}) or allow it in pg_hba.conf.`,
        options,
      );
    case '3D000':
      return new DatabaseFault(
        'database',
        `PostgreSQL at ${servers} has no database "${database}": create it (createdb -O ${user} ${database}) or name another.`,
        options,
      );
    case '42501':
      return new DatabaseFault(
        'right',
        `Role "${user}" may not connect to database "${database}": GRANT CONNECT ON DATABASE "${database}" TO "${user}".`,
        options,
      );
    default:
      if (message.includes('no password') || message.includes('client password must be a string'))
        return new DatabaseFault(
          'password',
          `PostgreSQL at ${servers} asks role "${user}" for a password: set PGPASSWORD or put it in the address.`,
          options,
        );
      return new DatabaseFault(
        'host',
        `PostgreSQL at ${servers} could not be reached: ${message || String(error)}`,
        options,
      );
  }
}

/**
 * Connects once and looks whether the server is new enough and lets us make tables.
 * @returns the server's version, as it says it
 * @throws DatabaseFault
 */
export async function probeDatabase(address: DatabaseAddress): Promise<string> {
  const client = new (clientFor(address))({ ...address, connectionTimeoutMillis: 10_000 });
  try {
    await client.connect();
  } catch (error) {
    throw explainConnectError(error, address);
  }
  try {
    const { rows } = await client.query<{ number: number; version: string; may: boolean }>(`
      SELECT current_setting('server_version_num')::integer AS number, current_setting('server_version') AS version,
             has_schema_privilege(current_schema(), 'CREATE') AS may`);
    const { number, version, may } = rows[0]!;
    if (number < OLDEST_POSTGRES * 10_000)
      throw new DatabaseFault(
        'version',
        `PostgreSQL at ${sayServers(address)} is ${version}; Gather Lane needs ${OLDEST_POSTGRES} or later.`,
      );
    if (!may)
      throw new DatabaseFault(
        'right',
        `Role "${address.user}" may not create tables in database "${address.database}": GRANT CREATE ON SCHEMA public TO "${address.user}".`,
      );
    return version;
  } finally {
    await client.end();
  }
}

const INSUFFICIENT_PRIVILEGE = '42501';

/** What a statement was refused for want of rights, in words; null for any other error. */
export function explainMissingRight(error: unknown): DatabaseFault | null {
  if (sqlState(error) !== INSUFFICIENT_PRIVILEGE) return null;
  const { message } = (error as { driverError: Error }).driverError;
  return new DatabaseFault(
    'right',
    `PostgreSQL refuses it: ${message}. The tables belong to another role: connect as that one, or make them this one's (REASSIGN OWNED BY that_role TO this_role).`,
    { cause: error },
  );
}
