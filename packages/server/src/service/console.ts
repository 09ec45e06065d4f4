import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The folder of the built console, which stands beside the built service; undefined where only the service was built. */
export function builtConsole(): string | undefined {
  const folder = fileURLToPath(new URL('../console', import.meta.url));
  return existsSync(join(folder, 'index.html')) ? folder : undefined;
}
