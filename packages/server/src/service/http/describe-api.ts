import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { loadConfig } from '../../ground/config/load.js';
import { createDataSource } from '../data-source.js';
import { FolderStore } from '../../accounts/media/store.js';
import { OperatorKey } from '../../accounts/operator/key.js';
import { assemble } from '../assemble.js';
import { CAPABILITIES, PLAN } from '../capabilities.js';
import { buildApp } from './app.js';
import { openApiDocument } from './openapi.js';

/** The OpenAPI document of the service with its default limits, without a database: the client is generated from it. */
export async function describeApi(): Promise<Record<string, unknown>> {
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-api-'));
  try {
    const { config } = loadConfig({ folder, environment: { GATHER_LANE_LOG_LEVEL: 'silent' } });
    const address = { host: 'localhost', port: 1, user: 'nobody', password: undefined, database: 'none', ssl: false };
    const database = createDataSource(address, { poolSize: 2 });
    const assembled = assemble(
      CAPABILITIES,
      { plan: PLAN, database, background: database, config, demo: false, modelFile: () => config.model },
      { key: new OperatorKey(folder), store: new FolderStore(folder) },
    );
    const app = await buildApp(assembled, { consoleFolder: undefined, notReady: () => null });
    await app.ready();
    const document = openApiDocument(app, config, '', true);
    await app.close();
    return document;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
