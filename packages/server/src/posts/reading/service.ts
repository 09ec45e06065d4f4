import {
  handlesIn,
  mentionedIn,
  readingVersion,
  readSpans,
  readText,
  storeSpans,
  type Found,
  type StoredSpan,
} from '@gather-lane/core';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { BY_HANDLE, HOLD_PEOPLE, MAY_BE_MENTIONED } from './queries.js';

/** A text, and who wrote it where. */
export interface Text {
  readonly body: string;
  readonly authorId: string;
  /** The author of the post that it is, or stands below. */
  readonly postAuthorId: string;
  /** What it said until now, and what was found in that: who is still named by the same handle is still the same user. */
  readonly before?: { readonly body: string; readonly spans: readonly StoredSpan[] };
}

/** By which rules texts are read here. */
export const READING = readingVersion(process.versions.unicode ?? '0.0');

/** Whom spans mention, each once. */
export const mentionedBy = (spans: readonly StoredSpan[]): string[] => [
  ...new Set(readSpans(spans).flatMap((span) => span.user ?? [])),
];

/** What is found in a text that is written; see {@link readAllInto}. */
export const readInto = async (manager: Querying, text: Text, hold: keyof typeof HOLD_PEOPLE): Promise<StoredSpan[]> =>
  (await readAllInto(manager, [text], hold))[0]!;

/**
 * What is found in texts, with the users whom they mention: those who are there, may see it, and are not kept apart from its
 * author by a block. In the transaction that writes them, and against blocks that are being made.
 * @param hold `count` where the transaction goes on to count something of the authors'
 * @param others users who are held with those whom they mention
 * @returns the spans of each, as they are stored
 */
export async function readAllInto(
  manager: Querying,
  texts: readonly Text[],
  hold: keyof typeof HOLD_PEOPLE,
  others: readonly string[] = [],
): Promise<StoredSpan[][]> {
  const founds = texts.map(({ body }) => readText(body));
  const named = (
    await usersNamed(
      manager,
      texts.map((text, n) => ({ text, found: founds[n]! })),
    )
  ).map(({ userId }) => userId);
  const authors = hold === 'count' && named.length > 0 ? texts.map(({ authorId }) => authorId) : [];
  const held = [...new Set([...named, ...authors, ...others])];
  if (held.length > 0) await manager.query(HOLD_PEOPLE[hold], [held]);
  // Asked in a statement of its own, once they are held.
  return spansOf(manager, texts, founds);
}

/** The spans of many texts, without holding anybody: for texts that are read anew. */
export function spansOfAll(database: Querying, texts: readonly Text[]): Promise<StoredSpan[][]> {
  return spansOf(
    database,
    texts,
    texts.map(({ body }) => readText(body)),
  );
}

async function spansOf(
  database: Querying,
  texts: readonly Text[],
  founds: readonly Found[][],
): Promise<StoredSpan[][]> {
  const named = await usersNamed(
    database,
    texts.map((text, n) => ({ text, found: founds[n]! })),
  );
  const rows =
    named.length === 0
      ? []
      : await database.query<{ n: number; id: string }[]>(MAY_BE_MENTIONED, [
          named.map(({ n }) => n),
          named.map(({ userId }) => userId),
          named.map(({ n }) => texts[n]!.authorId),
          named.map(({ n }) => texts[n]!.postAuthorId),
        ]);
  const may = new Set(rows.map(({ n, id }) => `${n} ${id}`));
  const mentioned = texts.map(() => new Map<string, string>());
  for (const { n, handle, userId } of named) if (may.has(`${n} ${userId}`)) mentioned[n]!.set(handle, userId);
  return founds.map((found, n) => storeSpans(found, mentioned[n]!));
}

interface Named {
  readonly n: number;
  readonly handle: string;
  readonly userId: string;
}

/** Who is named by the handles of texts, whether they may be mentioned or not. */
async function usersNamed(
  database: Querying,
  texts: readonly { readonly text: Text; readonly found: readonly Found[] }[],
): Promise<Named[]> {
  const handles = texts.map(({ found }) => handlesIn(found));
  const all = [...new Set(handles.flat())];
  if (all.length === 0) return [];
  const rows = await database.query<{ id: string; handle: string }[]>(BY_HANDLE, [all]);
  const now = new Map(rows.map(({ id, handle }) => [handle, id]));
  return texts.flatMap(({ text: { before } }, n) => {
    const kept = before ? mentionedIn(before.body, before.spans) : new Map<string, string>();
    return handles[n]!.flatMap((handle) => {
      const userId = kept.get(handle) ?? now.get(handle);
      return userId === undefined ? [] : [{ n, handle, userId }];
    });
  });
}
