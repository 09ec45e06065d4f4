/** How to reach a database. */
export interface DatabaseAddress {
  readonly host: string;
  readonly port: number;
  readonly user: string;
  readonly password: string | undefined;
  readonly database: string;
  readonly ssl: boolean;
}

/**
 * The address of the developer's own server, from `database.url` or the standard `PG…` variables, or
 * null when neither is set and the embedded cluster is meant.
 */
export function ownServer(
  url: string | undefined,
  environment: Record<string, string | undefined>,
): DatabaseAddress | null {
  if (url) {
    const at = new URL(url);
    const ssl = ['require', 'verify-ca', 'verify-full'].includes(at.searchParams.get('sslmode') ?? '');
    return {
      host: decodeURIComponent(at.hostname) || 'localhost',
      port: Number(at.port || 5432),
      user: decodeURIComponent(at.username) || environment.PGUSER || 'postgres',
      password: at.password ? decodeURIComponent(at.password) : environment.PGPASSWORD,
      database: decodeURIComponent(at.pathname.slice(1)) || 'postgres',
      ssl,
    };
  }
  const { PGHOST, PGPORT, PGUSER, PGPASSWORD, PGDATABASE, PGSSLMODE } = environment;
  if (!PGHOST && !PGDATABASE) return null;
  const user = PGUSER ?? 'postgres';
  const ssl = ['require', 'verify-ca', 'verify-full'].includes(PGSSLMODE ?? '');
  return {
    host: PGHOST ?? 'localhost',
    port: Number(PGPORT ?? 5432),
    user,
    password: PGPASSWORD,
    database: PGDATABASE ?? user,
    ssl,
  };
}
