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
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE barrels`);
    await runner.query(`DROP TABLE crews`);
  }
}
