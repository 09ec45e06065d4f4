import type { MigrationInterface, QueryRunner } from 'typeorm';

export class Careless1900000000001 implements MigrationInterface {
  readonly name = 'Careless1900000000001';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`CREATE TABLE crews (id integer PRIMARY KEY)`);
    await runner.query(`
      CREATE TABLE barrels (id integer PRIMARY KEY, n integer NOT NULL, secret text NOT NULL, crew_id integer REFERENCES crews ON DELETE CASCADE)`);
    await runner.query(`INSERT INTO crews SELECT n FROM generate_series(1, 10) n`);
    await runner.query(`
      INSERT INTO barrels SELECT n, n, 'word ' || n, CASE WHEN n BETWEEN 11000 AND 11002 THEN 1 END FROM generate_series(0, 12000) n`);
    await runner.query(`ANALYZE barrels`);
    // What a crew brings along: at once, or at the commit.
    await runner.query(`
      CREATE FUNCTION bring_barrel() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
        INSERT INTO barrels VALUES (NEW.id + 10000, 0, 'brought', NEW.id); RETURN NULL; END $$`);
    await runner.query(
      `CREATE TRIGGER bring AFTER INSERT ON crews FOR EACH ROW WHEN (NEW.id BETWEEN 6000 AND 6999) EXECUTE FUNCTION bring_barrel()`,
    );
    await runner.query(`
      CREATE CONSTRAINT TRIGGER bring_late AFTER INSERT ON crews DEFERRABLE INITIALLY DEFERRED
      FOR EACH ROW WHEN (NEW.id BETWEEN 7000 AND 7999) EXECUTE FUNCTION bring_barrel()`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE barrels`);
    await runner.query(`DROP TABLE crews`);
    await runner.query(`DROP FUNCTION bring_barrel()`);
  }
}
