import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Pictures, earlier versions of posts, and calls that may be repeated. */
export class Media1764000000009 implements MigrationInterface {
  readonly name = 'Media1764000000009';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE blobs (
        id           uuid PRIMARY KEY,
        hash         bytea NOT NULL CONSTRAINT blobs_stored_once UNIQUE,
        width        integer NOT NULL CONSTRAINT blobs_width CHECK (width > 0),
        height       integer NOT NULL CONSTRAINT blobs_height CHECK (height > 0),
        widths       integer[] NOT NULL,
        bytes        bigint NOT NULL,
        placeholder  text NOT NULL,
        created_at   timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(
      `COMMENT ON TABLE blobs IS 'Pictures as they are stored, once for the same content; an upload says whose one is'`,
    );
    await runner.query(
      `COMMENT ON COLUMN blobs.id IS 'Also the name of its files: one stored anew after it was freed has others'`,
    );
    await runner.query(`
      CREATE TABLE uploads (
        id          uuid PRIMARY KEY,
        user_id     uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        blob_id     uuid NOT NULL REFERENCES blobs ON DELETE RESTRICT,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp()
      )`);
    await runner.query(`CREATE INDEX uploads_user ON uploads (user_id)`);
    await runner.query(`CREATE INDEX uploads_blob ON uploads (blob_id)`);
    await runner.query(`CREATE INDEX uploads_age ON uploads (created_at)`);
    await runner.query(`
      CREATE TABLE post_pictures (
        post_id    uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        position   smallint NOT NULL CONSTRAINT post_pictures_position CHECK (position BETWEEN 0 AND 5),
        upload_id  uuid NOT NULL REFERENCES uploads ON DELETE NO ACTION,
        alt        text NOT NULL DEFAULT '' CONSTRAINT post_pictures_alt CHECK (char_length(alt) <= 4000),
        PRIMARY KEY (post_id, position),
        CONSTRAINT post_pictures_once UNIQUE (post_id, upload_id)
      )`);
    await runner.query(`CREATE INDEX post_pictures_upload ON post_pictures (upload_id)`);
    await runner.query(`
      ALTER TABLE users
        ADD picture_id uuid CONSTRAINT users_picture REFERENCES uploads ON DELETE NO ACTION,
        ADD picture_link text CONSTRAINT users_picture_link CHECK (char_length(picture_link) <= 2000)`);
    await runner.query(`CREATE INDEX users_picture_id ON users (picture_id)`);
    await runner.query(
      `COMMENT ON COLUMN users.picture_link IS 'A picture elsewhere, as an outside issuer says; shown where the user has set none'`,
    );
    // A post may be pictures only.
    await runner.query(`
      ALTER TABLE posts DROP CONSTRAINT posts_body_length,
        ADD CONSTRAINT posts_body_length CHECK (char_length(body) <= 4000)`);

    await runner.query(`
      CREATE TABLE post_versions (
        post_id     uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        version     integer NOT NULL,
        body        text NOT NULL,
        fields      jsonb,
        pictures    jsonb NOT NULL,
        created_at  timestamptz(3) NOT NULL,
        PRIMARY KEY (post_id, version)
      )`);
    await runner.query(`COMMENT ON TABLE post_versions IS 'What a post said before each edit'`);

    await runner.query(`
      CREATE TABLE repeatable_calls (
        user_id     uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        route       text NOT NULL,
        key         text NOT NULL CONSTRAINT repeatable_calls_key CHECK (char_length(key) BETWEEN 1 AND 255),
        content     bytea NOT NULL,
        made_id     uuid NOT NULL,
        reply       jsonb,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (user_id, route, key)
      )`);
    await runner.query(`CREATE INDEX repeatable_calls_age ON repeatable_calls (created_at)`);
    await runner.query(
      `COMMENT ON TABLE repeatable_calls IS 'Calls with an Idempotency-Key: what each made, and what was answered'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE repeatable_calls, post_versions`);
    await runner.query(`ALTER TABLE users DROP picture_id, DROP picture_link`);
    await runner.query(`DROP TABLE post_pictures, uploads, blobs`);
    await runner.query(`DELETE FROM posts WHERE body = ''`);
    await runner.query(`
      ALTER TABLE posts DROP CONSTRAINT posts_body_length,
        ADD CONSTRAINT posts_body_length CHECK (char_length(body) BETWEEN 1 AND 4000)`);
  }
}
