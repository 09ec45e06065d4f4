import type { MigrationInterface, QueryRunner } from 'typeorm';

const BATCH = 1_000;
/** What RFC 3986 leaves for a path, a query or a fragment, with the beginning of an escape. */
const OTHERS = /[^A-Za-z0-9\-._~:/?#@!$&'()*+,;=%]|%(?![0-9A-Fa-f]{2})/g;

/** Addresses of pictures elsewhere as RFC 3986 writes them: one that was stored as it came made lists fail for everybody. */
export class PictureLinks1764000000016 implements MigrationInterface {
  readonly name = 'PictureLinks1764000000016';

  async up(runner: QueryRunner): Promise<void> {
    for (let after = '00000000-0000-0000-0000-000000000000'; ;) {
      const rows = (await runner.query(
        `SELECT id, picture_link AS link FROM users WHERE picture_link IS NOT NULL AND id > $1 ORDER BY id LIMIT ${BATCH}`,
        [after],
      )) as { id: string; link: string }[];
      if (rows.length === 0) break;
      after = rows.at(-1)!.id;
      const changed = rows
        .map(({ id, link }) => ({ id, link, to: normal(link) }))
        .filter(({ link, to }) => link !== to);
      await runner.query(
        `UPDATE users u SET picture_link = c.link FROM unnest($1::uuid[], $2::text[]) AS c (id, link) WHERE u.id = c.id`,
        [changed.map(({ id }) => id), changed.map(({ to }) => to)],
      );
    }
    await runner.query(
      `ALTER TABLE users ADD CONSTRAINT users_picture_link_form CHECK (picture_link ~ '^https?://[!-~]+$')`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE users DROP CONSTRAINT users_picture_link_form`);
  }
}

function normal(link: string): string | null {
  if (!/^https?:\/\//i.test(link) || !URL.canParse(link)) return null;
  const url = new URL(link);
  if (url.username !== '' || url.password !== '') return null;
  const rest = (url.pathname + url.search + url.hash).replace(OTHERS, (c) => encodeURIComponent(c));
  const [before, ...fragments] = rest.split('#');
  const address = url.origin + before + (fragments.length > 0 ? `#${fragments.join('%23')}` : '');
  return address.length <= 2_000 ? address : null;
}
