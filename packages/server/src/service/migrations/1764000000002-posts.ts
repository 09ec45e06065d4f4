import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Posts, follows and comments. */
export class Posts1764000000002 implements MigrationInterface {
  readonly name = 'Posts1764000000002';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
      CREATE TABLE posts (
        id          uuid PRIMARY KEY,
        author_id   uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        body        text NOT NULL CONSTRAINT posts_body_length CHECK (char_length(body) BETWEEN 1 AND 4000),
        version     integer NOT NULL DEFAULT 1,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        edited_at   timestamptz(3),
        deleted_at  timestamptz(3)
      )`);
    // The following feed by creation time walks the first (sweep) or probes the second (heads);
    // both hold only what is visible, so a page never steps over deleted posts.
    await runner.query(`
      CREATE INDEX posts_recent ON posts (created_at, id) INCLUDE (author_id) WHERE deleted_at IS NULL`);
    await runner.query(`
      CREATE INDEX posts_author_recent ON posts (author_id, created_at, id) WHERE deleted_at IS NULL`);
    // For the foreign key: deleting a user finds their deleted posts too.
    await runner.query(`CREATE INDEX posts_author ON posts (author_id)`);

    await runner.query(`
      CREATE TABLE follows (
        follower_id  uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        followee_id  uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        created_at   timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        PRIMARY KEY (follower_id, followee_id),
        CONSTRAINT follows_not_self CHECK (follower_id <> followee_id)
      )`);
    await runner.query(`CREATE INDEX follows_followers ON follows (followee_id, created_at, follower_id)`);
    await runner.query(`CREATE INDEX follows_following ON follows (follower_id, created_at, followee_id)`);

    await runner.query(`
      CREATE TABLE comments (
        id          uuid PRIMARY KEY,
        post_id     uuid NOT NULL REFERENCES posts ON DELETE CASCADE,
        parent_id   uuid,
        author_id   uuid NOT NULL REFERENCES users ON DELETE CASCADE,
        body        text NOT NULL CONSTRAINT comments_body_length CHECK (char_length(body) BETWEEN 1 AND 4000),
        version     integer NOT NULL DEFAULT 1,
        created_at  timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
        edited_at   timestamptz(3),
        deleted_at  timestamptz(3),
        CONSTRAINT comments_of_post UNIQUE (post_id, id),
        -- A reply answers a comment of the same post; without its parent it stands on its own.
        CONSTRAINT comments_parent FOREIGN KEY (post_id, parent_id) REFERENCES comments (post_id, id) ON DELETE SET NULL (parent_id)
      )`);
    await runner.query(`
      CREATE INDEX comments_conversation ON comments (post_id, created_at, id) WHERE deleted_at IS NULL`);
    await runner.query(`CREATE INDEX comments_replies ON comments (post_id, parent_id)`);
    await runner.query(`CREATE INDEX comments_author ON comments (author_id)`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`DROP TABLE comments, follows, posts`);
  }
}
