// Writes the OpenAPI document of the built service, and the client's types from it.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import openapiTS, { astToString } from 'openapi-typescript';
import ts from 'typescript';
import { describeApi } from '../packages/server/dist/service/http/describe-api.js';
import { root } from './steps.mjs';

const document = await describeApi();
writeFileSync(join(root, 'packages/client/openapi.json'), JSON.stringify(document, null, 2) + '\n');
mkdirSync(join(root, 'packages/client/src/generated'), { recursive: true });
/** What a developer's own fields are is said in a declaration of theirs. */
const transform = (schema) =>
  schema['x-own-fields'] &&
  ts.factory.createTypeReferenceNode('OwnFieldsOf', [
    ts.factory.createLiteralTypeNode(ts.factory.createStringLiteral(schema['x-own-fields'])),
  ]);
const types = astToString(await openapiTS(document, { alphabetize: true, defaultNonNullable: false, transform }));
writeFileSync(
  join(root, 'packages/client/src/generated/api.ts'),
  `// Generated from the OpenAPI document of the service. Do not edit.\nimport type { OwnFieldsOf } from '../index.js';\n\n${types}`,
);
