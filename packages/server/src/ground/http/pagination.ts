import type { ListCursor } from '@gather-lane/core';
import type { FastifyReply, FastifyRequest } from 'fastify';
import type { Cursors } from './cursors.js';
import { Problem } from './problem.js';

/** What a list is asked for: how many, and from where on. */
export interface PageRequest {
  readonly limit: number;
  readonly after?: string;
}

/** A page: its items, and the cursor that reads on, or null at the end. */
export interface Page<T> {
  readonly items: T[];
  readonly next: string | null;
}

/** The instant that a list sorted by time reads on from, as a statement takes it; null for the first page. */
export const instantOf = (from: ListCursor | null): string | null => from && new Date(Number(from.key)).toISOString();

/** Pages of lists: where one begins, and the cursor that reads on. */
export class Pages {
  readonly #cursors: Cursors;

  constructor(cursors: Cursors) {
    this.#cursors = cursors;
  }

  /**
   * Where a list reads on, or null for its first page.
   * @param list the list's name with everything that it is bound to
   * @throws Problem `bad-cursor` for anything but a cursor of this very list
   */
  async startOf(list: string, { after }: PageRequest): Promise<ListCursor | null> {
    if (after === undefined) return null;
    const cursor = await this.#cursors.readList(after);
    if (!cursor)
      throw new Problem(
        'bad-cursor',
        'This is not a cursor of ours, is too old, or was changed on the way: pass `next` exactly as it came.',
      );
    if (cursor.list !== list)
      throw new Problem(
        'bad-cursor',
        'This cursor belongs to another list, or to another order or search of it: pass `next` to the call that it came from.',
      );
    return cursor;
  }

  /**
   * Makes a page of rows that were read with one more than the limit.
   * @param key what the list is sorted by, beside the id
   */
  async toPage<R extends { id: string }, T>(
    list: string,
    { limit }: PageRequest,
    rows: R[],
    key: (row: R) => string | number,
    item: (row: R) => T,
  ): Promise<Page<T>> {
    const shown = rows.slice(0, limit);
    const last = shown.at(-1);
    const more = rows.length > limit && last;
    const next = more ? await this.#cursors.writeList({ list, key: key(last), id: last.id }) : null;
    return { items: shown.map(item), next };
  }
}

/** Adds the RFC 8288 link to the next page. */
export function linkNext(
  request: FastifyRequest,
  reply: FastifyReply,
  publicAddress: string,
  next: string | null,
): void {
  if (!next) return;
  const [path, query] = request.url.split('?');
  const parameters = new URLSearchParams(query);
  parameters.set('after', next);
  void reply.header('link', `<${publicAddress}${path}?${parameters.toString()}>; rel="next"`);
}
