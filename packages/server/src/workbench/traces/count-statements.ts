/** Lets the database count statements, in a cluster of ours, whose superuser we are. */
export const COUNT_STATEMENTS = `
  CREATE SCHEMA IF NOT EXISTS statistics;
  CREATE EXTENSION IF NOT EXISTS pg_stat_statements SCHEMA statistics`;
