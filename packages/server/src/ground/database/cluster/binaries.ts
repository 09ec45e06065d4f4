import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DatabaseFault } from '../database-fault.js';
import { OLDEST_POSTGRES } from '../diagnose.js';

const ROOT = '/usr/lib/postgresql';

/** Major versions of PostgreSQL's server that are installed, newest first. */
export function installedVersions(): number[] {
  if (!existsSync(ROOT)) return [];
  return readdirSync(ROOT)
    .filter((name) => existsSync(join(ROOT, name, 'bin', 'initdb')))
    .map(Number)
    .filter((version) => version >= OLDEST_POSTGRES)
    .sort((a, b) => b - a);
}

/**
 * Folder of the binaries for a cluster: those of its own version, or the newest for one that is yet to be made.
 * @throws DatabaseFault when they are not installed
 */
export function binariesFor(cluster: string): string {
  const versions = installedVersions();
  const versionFile = join(cluster, 'PG_VERSION');
  if (existsSync(versionFile)) {
    const version = Number(readFileSync(versionFile, 'utf8').trim());
    if (!versions.includes(version))
      throw new DatabaseFault(
        'version',
        `The cluster in ${cluster} was made by PostgreSQL ${version}, which is not installed here: apt-get install postgresql-${version}, ` +
          `or upgrade the cluster with pg_upgrade.`,
      );
    return join(ROOT, String(version), 'bin');
  }
  if (versions[0] === undefined)
    throw new DatabaseFault(
      'cluster',
      `PostgreSQL's server is not installed: apt-get install postgresql (${OLDEST_POSTGRES} or later), or set GATHER_LANE_DATABASE_URL.`,
    );
  return join(ROOT, String(versions[0]), 'bin');
}
