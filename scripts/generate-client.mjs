// Writes the OpenAPI document of the built service, and the client's types from it.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import openapiTS, { astToString } from 'openapi-typescript';
import { describeApi } from '../packages/server/dist/http/describe-api.js';
import { root } from './steps.mjs';

const document = await describeApi();
writeFileSync(join(root, 'packages/client/openapi.json'), JSON.stringify(document, null, 2) + '\n');
mkdirSync(join(root, 'packages/client/src/generated'), { recursive: true });
const types = astToString(await openapiTS(document, { alphabetize: true, defaultNonNullable: false }));
writeFileSync(
  join(root, 'packages/client/src/generated/api.ts'),
  `// Generated from the OpenAPI document of the service. Do not edit.\n${types}`,
);
