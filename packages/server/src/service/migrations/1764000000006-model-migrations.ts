import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The developer's own lineage of migrations: their journal, the services that live on a model, and safe casts. */
export class ModelMigrations1764000000006 implements MigrationInterface {
  readonly name = 'ModelMigrations1764000000006';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE model_migrations (
        id        integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY,
        begun_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        ended_at  timestamptz(3),
        state     text NOT NULL DEFAULT 'running' CONSTRAINT model_migrations_state CHECK (state IN ('running', 'waiting', 'done', 'failed')),
        before    jsonb NOT NULL,
        after     jsonb NOT NULL,
        answers   jsonb NOT NULL,
        undoes    integer CONSTRAINT model_migrations_undoes REFERENCES model_migrations (id) ON DELETE SET NULL,
        note      text
      )`);
    await runner.query(`CREATE INDEX model_migrations_undone ON model_migrations (undoes)`);
    await runner.query(`
      CREATE TABLE model_steps (
        migration_id  integer NOT NULL CONSTRAINT model_steps_migration REFERENCES model_migrations (id) ON DELETE CASCADE,
        n             integer NOT NULL,
        field         text NOT NULL,
        does          text NOT NULL,
        sql           text NOT NULL,
        begun_at      timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        ended_at      timestamptz(3),
        rows          integer,
        PRIMARY KEY (migration_id, n)
      )`);
    await runner.query(`
      CREATE TABLE live_services (
        id          uuid PRIMARY KEY,
        host        text NOT NULL,
        pid         integer NOT NULL,
        model       jsonb NOT NULL,
        started_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        seen_at     timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON COLUMN live_services.seen_at IS 'Moved on by the service; one not seen for a while is gone'`,
    );
    // PostgreSQL 15 has no way to ask whether a text can be cast.
    await runner.query(`
      CREATE FUNCTION try_cast(value text, wanted regtype) RETURNS text LANGUAGE plpgsql STABLE AS $$
      DECLARE
        result text;
      BEGIN
        EXECUTE format('SELECT ($1::%s)::text', wanted) INTO result USING value;
        RETURN result;
      EXCEPTION WHEN data_exception THEN
        RETURN NULL;
      END $$`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP FUNCTION try_cast(text, regtype)`);
    await runner.query(`DROP TABLE live_services, model_steps, model_migrations`);
  }
}
