export { ConfigError, loadConfig, type ConfigSources, type Loaded } from './ground/config/load.js';
export type { Config } from './ground/config/schema.js';
export { starterConfig } from './ground/config/starter.js';
export { makeDataFolder, startCluster, type Cluster } from './ground/database/cluster/cluster.js';
export { PLAN } from './service/capabilities.js';
export { createDataSource } from './service/data-source.js';
export { sayAddress } from './ground/database/address.js';
export { DatabaseFault } from './ground/database/database-fault.js';
export { explainMissingRight } from './ground/database/diagnose.js';
export { copyRows } from './ground/database/copy.js';
export { migrate } from './ground/database/migrate.js';
export { checkSetup, type SetupFinding } from './service/setup-check.js';
export { keepHeapSmall } from './service/heap.js';
export type { Service, StartOptions } from './service/start-options.js';
export { startProcesses, startService } from './service/start.js';
export { oneOfMany } from './service/processes/one-of-many.js';
export { serveAsOne } from './service/processes/serve-as-one.js';
export type { Processes } from './service/processes/start-processes.js';
export { StartRefused } from './service/start-refused.js';
export { VERSION } from './package-files.js';
export { openDatabase, type OpenDatabase } from './service/open.js';
export { RealAccounts } from './workbench/fill/real-accounts.js';
export { empty, fill, FillRefused, type FillProgress } from './workbench/fill/load.js';
export { checkData, type Finding } from './workbench/check/service.js';
export { backUp } from './workbench/backup/backup.js';
export { BackupRefused, type BackupManifest } from './workbench/backup/manifest.js';
export { restore } from './workbench/backup/restore.js';
export { keptLogFolder } from './ground/database/cluster/kept-log.js';
export { exportAll, exportCsv } from './workbench/transfer/export.js';
export { importAll } from './workbench/transfer/import.js';
export { TransferRefused } from './workbench/transfer/manifest.js';
export { PLACEHOLDER, type Answer, type Answers, type Field, type OwnFields } from '@gather-lane/core';
export { AnswersFault, readAnswers } from './workbench/model/migration/answers.js';
export {
  migrateBack,
  migrateModel,
  MigrationRefused,
  previewMigration,
  type BackResult,
  type MigrationResult,
} from './workbench/model/migration/migrate.js';
export { modelAsEntities } from './workbench/model/entities.js';
export { modelAsTypes } from './workbench/model/field-types.js';
export { presentFields } from './workbench/model/migration/catalogue.js';
export { signInWarnings } from './accounts/identities/claims.js';
export { planAsJson, type Plan, type PlannedChange } from './workbench/model/migration/plan.js';
export { stepAsSql } from './workbench/model/migration/step.js';
export { wayAsTyped } from './workbench/model/migration/way-as-typed.js';
export { describeModel, modelAsMermaid, modelAsSql, type ModelTable } from './workbench/model/describe.js';
