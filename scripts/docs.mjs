// npm run docs: writes the pages that are made from the code.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { WALK_SCHEMA } from '../packages/core/dist/proofs/index.js';
import { configurationPage } from '../packages/server/dist/ground/config/page.js';
import { root } from './steps.mjs';

writeFileSync(join(root, 'docs/configuration.md'), configurationPage());
// Beside the walks that come along, for editors.
writeFileSync(join(root, 'packages/core/walk.schema.json'), `${JSON.stringify(WALK_SCHEMA, null, 2)}\n`);
