// Bytes of log that a post takes: right after a checkpoint, when each page that is touched is logged whole, and once most of them were.
import { openData } from './data.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

const POSTS = 400;
const AUTHORS = 200;

/** @returns kilobytes of log for a post, cold and warm */
export async function benchLog(size) {
  const data = await openData(size);
  const service = await startService(data.address);
  try {
    const authors = await data.dataSource.query(
      `SELECT user_id AS id FROM user_tallies WHERE posts > 0 ORDER BY hashtextextended(user_id::text, 5) LIMIT $1`,
      [AUTHORS],
    );
    const tokens = [];
    for (const { id } of authors) tokens.push(await service.tokenOf(id));
    const lsn = async () => (await data.dataSource.query(`SELECT pg_current_wal_lsn()::text AS at`))[0].at;
    const bytesOf = async (from) =>
      Number((await data.dataSource.query(`SELECT pg_current_wal_lsn() - $1::pg_lsn AS bytes`, [from]))[0].bytes);
    const round = async () => {
      const from = await lsn();
      for (let i = 0; i < POSTS; i++)
        await service.as(tokens[i % AUTHORS])('POST', '/v1/posts', {
          body: 'The lamps are lit along the moorings, and nobody is in a hurry at all.',
        });
      return (await bytesOf(from)) / POSTS / 1024;
    };
    await data.dataSource.query('CHECKPOINT');
    const cold = await round();
    await round();
    const warm = await round();
    printTable(
      `Log of a post, ${size} data, kB (${POSTS} posts by ${AUTHORS} authors)`,
      ['state', 'kB'],
      [
        ['right after a checkpoint', cold.toFixed(1)],
        ['warm', warm.toFixed(1)],
      ],
    );
    return { cold, warm };
  } finally {
    await service.stop();
    await data.close();
  }
}
