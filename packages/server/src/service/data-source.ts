import type { DataSource } from 'typeorm';
import type { DatabaseAddress } from '../ground/database/address.js';
import { createMappedDataSource, type DataSourceChoices } from '../ground/database/data-source.js';
import { PLAN } from './capabilities.js';
import { MIGRATIONS } from './migrations.js';

/**
 * A data source that knows the tables of every capability. `synchronize` is never on: the migrations alone shape the
 * database. It is not connected yet; call `initialize()`.
 */
export const createDataSource = (address: DatabaseAddress, choices: DataSourceChoices): DataSource =>
  createMappedDataSource(address, { ...PLAN, migrations: MIGRATIONS }, choices);
