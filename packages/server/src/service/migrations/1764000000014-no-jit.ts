import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * The functions that count and set standings are never compiled. With `enable_seqscan = off` PostgreSQL takes a look at three rows
 * for a matter of 10,000,000,000, and with its own default, `jit = on`, compiles the statement each time: 200 to 600 ms for a post.
 */
export class NoJit1764000000014 implements MigrationInterface {
  readonly name = 'NoJit1764000000014';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(forAll('SET jit = off'));
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(forAll('RESET jit'));
  }
}

const forAll = (setting: string): string => `
DO $$
DECLARE
  f record;
BEGIN
  FOR f IN SELECT oid::regprocedure AS name FROM pg_proc
    WHERE pronamespace = current_schema()::regnamespace AND 'enable_seqscan=off' = ANY (proconfig)
  LOOP
    EXECUTE format('ALTER FUNCTION %s ${setting}', f.name);
  END LOOP;
END $$`;
