import type { DataSource } from 'typeorm';
import { PLAN } from '../service/capabilities.js';
import { checkData, type Finding } from '../workbench/check/service.js';

/** What is wrong in a database, by every check that there is. */
export async function wrongIn(dataSource: DataSource): Promise<Finding[]> {
  const all = await checkData(dataSource, { plan: PLAN, repair: false, model: [], progress: () => undefined });
  return all.filter(({ count }) => count > 0);
}
