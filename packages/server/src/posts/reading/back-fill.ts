import type { DataSource, EntityManager, QueryRunner } from 'typeorm';
import { FIRST_ID } from '../../ground/database/keyset.js';
import { inTransaction } from '../../ground/database/transaction.js';
import { underLock } from '../../ground/database/under-lock.js';
import { ANY_NEW, COUNT_UNREAD, storeReadings, TEXTS, unread, type TextTable, type UnreadRow } from './queries.js';
import { READING, spansOfAll } from './service.js';
import { TextReading } from './text-reading.entity.js';

/** Held by the one process that reads texts anew. */
const READING_ANEW = `hashtext('gather-lane reading')`;
/** Few enough that a batch holds no hashtag up for long. */
const BATCH = 500;

/** How far texts are read by the rules of now. */
export interface ReadingProgress {
  readonly total: number;
  readonly done: number;
}

/** Who looks on. */
interface Watch {
  readonly progress?: (at: ReadingProgress) => void;
  /** Asked between two batches. */
  readonly ended?: () => boolean;
}

/**
 * Reads every text that was read by older rules, or never: a batch in each transaction, so that one that is stopped goes on where it
 * stood. Feeds are served meanwhile, and an edit at the same time wins.
 * @returns how many were read; null where another process does it
 */
export function readAnew(dataSource: DataSource, watch: Watch = {}): Promise<number | null> {
  return underLock<number | null>(
    dataSource,
    READING_ANEW,
    (runner) => readAll(dataSource, runner, watch),
    () => null,
  );
}

async function readAll(
  dataSource: DataSource,
  runner: QueryRunner,
  { progress = () => undefined, ended = () => false }: Watch,
): Promise<number> {
  const [{ n: total }] = (await runner.query(COUNT_UNREAD, [READING])) as [{ n: number }];
  if (total === 0) return 0;
  await runner.manager.upsert(
    TextReading,
    { version: READING, total: String(total), done: '0', begunAt: new Date(), endedAt: null },
    ['version'],
  );
  let done = 0;
  for (const table of TEXTS)
    for (let after: string | null = FIRST_ID; after !== null && !ended();) {
      const rows = (await runner.query(unread(table), [after, READING, BATCH])) as UnreadRow[];
      if (rows.length > 0) await inTransaction(dataSource, (manager) => readBatch(manager, table, rows));
      done += rows.length;
      await runner.manager.update(TextReading, { version: READING }, { done: String(done) });
      progress({ total, done });
      after = rows.length < BATCH ? null : rows.at(-1)!.id;
    }
  if (!ended()) await runner.manager.update(TextReading, { version: READING }, { endedAt: new Date() });
  return done;
}

/** Reads texts that were not read at all, such as those that hand-written SQL made. */
export async function readUnread(dataSource: DataSource): Promise<void> {
  const [{ waiting }] = await dataSource.query<[{ waiting: boolean }]>(ANY_NEW);
  if (waiting)
    await underLock<void>(
      dataSource,
      READING_ANEW,
      (runner) => readNew(runner.manager),
      () => undefined,
    );
}

/** The same on a connection of one's own, or in a transaction: all of them. */
export async function readNew(manager: EntityManager): Promise<void> {
  for (const table of TEXTS)
    for (let after: string | null = FIRST_ID; after !== null;) {
      const rows: UnreadRow[] = await manager.query<UnreadRow[]>(unread(table, 'new'), [after, READING, BATCH]);
      if (rows.length > 0) await readBatch(manager, table, rows);
      after = rows.length < BATCH ? null : rows.at(-1)!.id;
    }
}

async function readBatch(manager: EntityManager, table: TextTable, rows: readonly UnreadRow[]): Promise<void> {
  const texts = rows.map(({ body, spans, author_id, post_author_id }) => ({
    body,
    // Where nobody is the author any more there is no text, and nobody mentioned.
    authorId: author_id ?? post_author_id,
    postAuthorId: post_author_id,
    before: { body, spans },
  }));
  const spans = await spansOfAll(manager, texts);
  await manager.query(storeReadings(table), [
    rows.map(({ id }) => id),
    rows.map(({ version }) => version),
    spans.map((each) => JSON.stringify(each)),
    READING,
  ]);
}

/** How far the reading of texts is that is under way, or null when all are read. Cost: one probe. */
export async function readingUnderWay(dataSource: DataSource): Promise<ReadingProgress | null> {
  const row = await dataSource.manager.findOneBy(TextReading, { version: READING });
  return row && row.endedAt === null ? { total: Number(row.total), done: Number(row.done) } : null;
}
