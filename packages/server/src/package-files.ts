import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

// From the built folder and from the bundled one alike: both stand in the package's own.
const inPackage = (path: string): URL => new URL(`../${path}`, import.meta.url);

/** The version of the service, as its package says. */
export const VERSION = (JSON.parse(readFileSync(inPackage('package.json'), 'utf8')) as { version: string }).version;

/** The folder of the built console, which the package carries; undefined where only the service was built. */
export function builtConsole(): string | undefined {
  return existsSync(inPackage('dist/console/index.html')) ? fileURLToPath(inPackage('dist/console')) : undefined;
}
