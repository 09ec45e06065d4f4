import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * What a post shows of its pictures stands in its own row, and the file of a user's picture in theirs, kept there by triggers: a page looked
 * each post up in three tables, most of them for nothing.
 */
export class PicturesBeside1764000000025 implements MigrationInterface {
  readonly name = 'PicturesBeside1764000000025';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      ALTER TABLE posts ADD pictures jsonb CONSTRAINT posts_pictures CHECK (jsonb_typeof(pictures) = 'array')`);
    await runner.query(
      `COMMENT ON COLUMN posts.pictures IS 'What is shown of post_pictures, kept by triggers; null where there are none'`,
    );
    await runner.query(`ALTER TABLE users ADD picture_file text`);
    await runner.query(
      `COMMENT ON COLUMN users.picture_file IS 'The smallest file of picture_id, kept by a trigger; null without one'`,
    );
    for (const sql of MADE) await runner.query(sql);
    // Nothing that follows an edit follows this.
    await runner.query(`ALTER TABLE posts DISABLE TRIGGER posts_updated`);
    await runner.query(`SELECT set_post_pictures(ARRAY(SELECT DISTINCT post_id FROM post_pictures))`);
    await runner.query(`ALTER TABLE posts ENABLE TRIGGER posts_updated`);
    await runner.query(`UPDATE users SET picture_id = picture_id WHERE picture_id IS NOT NULL`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(
      `DROP FUNCTION after_post_pictures_inserted(), after_post_pictures_updated(), after_post_pictures_deleted(), set_picture_file() CASCADE`,
    );
    await runner.query(`DROP FUNCTION set_post_pictures(uuid[])`);
    await runner.query(`ALTER TABLE users DROP picture_file`);
    await runner.query(`ALTER TABLE posts DROP pictures`);
  }
}

const ONE_PLAN = `SET enable_hashjoin = off SET enable_mergejoin = off SET enable_seqscan = off SET enable_indexscan = off SET enable_indexonlyscan = off SET jit = off`;

const MADE = [
  `CREATE OR REPLACE FUNCTION set_post_pictures(ids uuid[]) RETURNS void LANGUAGE plpgsql
${ONE_PLAN} SET plan_cache_mode = force_generic_plan AS $$
BEGIN
  PERFORM FROM posts WHERE id = ANY (ids) ORDER BY id FOR NO KEY UPDATE;
  UPDATE posts p SET pictures = n.pictures
  FROM (
    SELECT i.id, (
      SELECT jsonb_agg(jsonb_build_object('id', u.id, 'blob', b.id, 'width', b.width, 'height', b.height, 'widths', b.widths,
               'placeholder', b.placeholder, 'alt', pp.alt) ORDER BY pp.position)
      FROM post_pictures pp JOIN uploads u ON u.id = pp.upload_id JOIN blobs b ON b.id = u.blob_id WHERE pp.post_id = i.id) AS pictures
    FROM unnest(ids) AS i (id)) n
  WHERE p.id = n.id AND p.pictures IS DISTINCT FROM n.pictures;
END $$`,
  ...[
    ['inserted', 'INSERT', 'NEW TABLE AS new_rows', 'SELECT post_id FROM new_rows'],
    [
      'updated',
      'UPDATE',
      'OLD TABLE AS old_rows NEW TABLE AS new_rows',
      'SELECT post_id FROM old_rows UNION SELECT post_id FROM new_rows',
    ],
    ['deleted', 'DELETE', 'OLD TABLE AS old_rows', 'SELECT post_id FROM old_rows'],
  ].flatMap(([name, event, rows, changed]) => [
    `CREATE OR REPLACE FUNCTION after_post_pictures_${name}() RETURNS trigger LANGUAGE plpgsql
${ONE_PLAN} AS $$
BEGIN
  PERFORM set_post_pictures(array_agg(DISTINCT post_id)) FROM (${changed}) r HAVING count(*) > 0;
  RETURN NULL;
END $$`,
    `CREATE OR REPLACE TRIGGER post_pictures_${name} AFTER ${event} ON post_pictures
  REFERENCING ${rows}
  FOR EACH STATEMENT EXECUTE FUNCTION after_post_pictures_${name}()`,
  ]),
  `CREATE OR REPLACE FUNCTION set_picture_file() RETURNS trigger LANGUAGE plpgsql
${ONE_PLAN} AS $$
BEGIN
  NEW.picture_file := (
    SELECT b.id || '-' || b.widths[1] || '.webp' FROM uploads u JOIN blobs b ON b.id = u.blob_id WHERE u.id = NEW.picture_id);
  RETURN NEW;
END $$`,
  `CREATE OR REPLACE TRIGGER users_picture_file_1 BEFORE INSERT ON users
  FOR EACH ROW WHEN (NEW.picture_id IS NOT NULL OR NEW.picture_file IS NOT NULL) EXECUTE FUNCTION set_picture_file()`,
  `CREATE OR REPLACE TRIGGER users_picture_file_2 BEFORE UPDATE OF picture_id, picture_file ON users
  FOR EACH ROW WHEN (NEW.picture_id IS NOT NULL OR NEW.picture_file IS NOT NULL) EXECUTE FUNCTION set_picture_file()`,
];
