import pLimit from 'p-limit';
import type { DataSource } from 'typeorm';
import type { Media } from '../../accounts/media/service.js';

/** What these are made of. */
interface Needs {
  readonly database: DataSource;
  readonly media: Media;
}

const PICTURES = 18;
/** Wide enough for a page; most of the time that a demo takes to load is for making these smaller. */
const WIDTH = 960;
/** One in so many of the latest posts has a picture; now and then two. */
const EVERY = 6;

/** The posts that get pictures: spread over the latest. */
const CHOSEN = `
  SELECT id, author_id FROM (
    SELECT id, author_id, row_number() OVER (ORDER BY created_at DESC, id DESC) AS n FROM posts WHERE deleted_at IS NULL
  ) p WHERE n % ${EVERY} = 2 AND n < ${EVERY * PICTURES} ORDER BY n`;

const ATTACH = `
  INSERT INTO post_pictures (post_id, position, upload_id, alt)
  SELECT $1, count(*), $2, $3 FROM post_pictures WHERE post_id = $1`;

/** Gives some of the demo's posts views along the canal, made from a seed, through the same way as any upload. */
export async function loadDemoPictures({ database, media }: Needs): Promise<void> {
  const [{ makeLandscape }, { default: sharp }] = await Promise.all([
    import('@gather-lane/core/demo'),
    import('sharp'),
  ]);
  const posts = await database.query<{ id: string; author_id: string }[]>(CHOSEN);
  const atOnce = pLimit(2);
  const show = async ({ id, author_id }: (typeof posts)[number], i: number) => {
    for (const seed of i % 5 === 1 ? [i, i + PICTURES] : [i]) {
      const { svg, alt } = makeLandscape(seed);
      const bytes = await sharp(Buffer.from(svg)).resize({ width: WIDTH }).jpeg({ quality: 85 }).toBuffer();
      await database.query(ATTACH, [id, await media.take(author_id, bytes), alt]);
    }
  };
  await Promise.all(posts.map((post, i) => atOnce(show, post, i)));
}
