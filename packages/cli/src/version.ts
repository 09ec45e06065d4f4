import { readFileSync } from 'node:fs';

/** The version of the command, as its package says. */
export const VERSION = (
  JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')) as { version: string }
).version;
