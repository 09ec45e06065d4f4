export { ConfigError, loadConfig, type ConfigSources, type Loaded } from './config/load.js';
export type { Config } from './config/schema.js';
export { starterConfig } from './config/starter.js';
export { makeDataFolder, startCluster, type Cluster } from './database/cluster/cluster.js';
export { createDataSource } from './database/data-source.js';
export { DatabaseFault, explainMissingRight } from './database/diagnose.js';
export { copyRows } from './database/copy.js';
export { migrate } from './database/migrate.js';
export { checkSetup, type SetupFinding } from './setup/check.js';
export type { Service, StartOptions } from './service.js';
export { StartRefused, startService } from './start.js';
export { VERSION } from './package-files.js';
export { openDatabase, type OpenDatabase } from './database/open.js';
export { RealAccounts } from './database/real-accounts.js';
export { empty, fill, FillRefused, type FillProgress } from './fill/load.js';
export { checkData, type Finding } from './check/service.js';
export { exportAll, exportCsv } from './transfer/export.js';
export { importAll } from './transfer/import.js';
export { TransferRefused } from './transfer/tables.js';
export { PLACEHOLDER, type Answer, type Answers, type Field, type Model } from '@gather-lane/core';
export { AnswersFault, readAnswers } from './model/migration/answers.js';
export {
  migrateBack,
  migrateModel,
  MigrationRefused,
  previewMigration,
  type BackResult,
  type MigrationResult,
} from './model/migration/migrate.js';
export { modelAsEntities } from './model/entities.js';
export { modelAsTypes } from './model/field-types.js';
export { presentFields } from './model/migration/catalogue.js';
export { signInWarnings } from './identities/claims.js';
export { planAsJson, type Plan, type PlannedChange } from './model/migration/plan.js';
export { stepAsSql } from './model/migration/step.js';
export { describeModel, modelAsMermaid, modelAsSql, type ModelTable } from './model/describe.js';
