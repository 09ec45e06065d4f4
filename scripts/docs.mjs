// npm run docs: writes the pages that are made from the code.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { configurationPage } from '../packages/server/dist/ground/config/page.js';
import { root } from './steps.mjs';

writeFileSync(join(root, 'docs/configuration.md'), configurationPage());
