import type { ExportedRow } from '../../ground/capability/table.js';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { AUTHORS_OF_POSTS, type TextTable } from './queries.js';
import { READING, spansOfAll } from './service.js';

/**
 * What texts of an export name is found anew where they are imported: by the rules of here, among the people who are here.
 * @returns for rows of that table, the same rows with their spans
 */
export const readHere =
  (table: TextTable) =>
  async (database: Querying, rows: readonly ExportedRow[]): Promise<ExportedRow[]> => {
    const authors = await postAuthors(database, table, rows);
    const texts = rows.map(({ id, body, author_id }) => {
      const postAuthorId = authors.get(id) ?? String(author_id);
      // Where nobody is the author any more there is no text, and nobody mentioned.
      return { body: String(body ?? ''), authorId: String(author_id ?? postAuthorId), postAuthorId };
    });
    const spans = await spansOfAll(database, texts);
    return rows.map((row, i) => ({ ...row, spans: spans[i], reading: READING }));
  };

/** Who wrote the posts that rows are or stand below, by the rows' ids. */
async function postAuthors(
  database: Querying,
  table: TextTable,
  rows: readonly ExportedRow[],
): Promise<Map<unknown, string>> {
  if (table === 'posts') return new Map(rows.map(({ id, author_id }) => [id, String(author_id)]));
  const found = await database.query<{ id: string; author_id: string }[]>(AUTHORS_OF_POSTS, [
    [...new Set(rows.map(({ post_id }) => post_id))],
  ]);
  const byPost = new Map<unknown, string>(found.map(({ id, author_id }) => [id, author_id]));
  return new Map(rows.flatMap(({ id, post_id }) => (byPost.has(post_id) ? [[id, byPost.get(post_id)!]] : [])));
}
