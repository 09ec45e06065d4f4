import { drawOf, peopleOf } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { FIRST_ID } from '../../ground/database/keyset.js';
import { underLock } from '../../ground/database/under-lock.js';
import type { Events, HappenedEvent } from '../../notifications/events/events.js';
import { toCounts } from '../../ranking/tallies/counts.js';
import { weightingInForce } from '../../ranking/weighting/in-force.js';
import {
  AUTHORS_OF,
  DROP_DRAWS,
  EVERYBODY,
  KEEP_DRAWS,
  KEEP_READ,
  LATEST_POSTS,
  READ_UP_TO,
  type LatestPostRow,
} from './queries.js';

const READER = 'draw';
/** Held by the one process that reckons. */
const RECKONING = `hashtext('gather-lane draw')`;
const AT_ONCE = 500;
/** Below so much either way, nothing drew. */
const LEAST = 0.005;

/** What the posts of authors drew lately: reckoned after the act, of those whose posts were acted on, and now and then of all. */
export class Draws {
  readonly #dataSource: DataSource;
  readonly #events: Events;

  constructor(dataSource: DataSource, events: Events) {
    this.#dataSource = dataSource;
    this.#events = events;
  }

  /** Reckons anew for those of whom something happened since the last time; of all where that cannot be known. */
  async followUp(): Promise<void> {
    await underLock<void>(
      this.#dataSource,
      RECKONING,
      async () => {
        const [read] = await this.#dataSource.query<{ snapshot: string; read_at: Date }[]>(READ_UP_TO, [READER]);
        const position = read ? { snapshot: read.snapshot, at: read.read_at.getTime() } : null;
        const { events, after } = await this.#events.since(position);
        if (position === null || events === null || events.some(({ subjects }) => subjects === null)) await this.#all();
        else await this.#some(events);
        await this.#dataSource.query(KEEP_READ, [READER, after.snapshot, new Date(after.at).toISOString()]);
      },
      () => undefined,
    );
  }

  /** Reckons anew for all: as time goes on, what was drawn is worth less. */
  async reckonAll(): Promise<void> {
    await underLock<void>(
      this.#dataSource,
      RECKONING,
      () => this.#all(),
      () => undefined,
    );
  }

  async #some(events: readonly HappenedEvent[]): Promise<void> {
    const of = (kind: string) => [
      ...new Set(events.filter((event) => event.kind === kind).flatMap(({ subjects }) => subjects ?? [])),
    ];
    const counted = of('post.counted');
    const authors = counted.length > 0 ? await this.#dataSource.query<{ id: string }[]>(AUTHORS_OF, [counted]) : [];
    const ids = [...new Set([...of('post.made'), ...authors.map(({ id }) => id)])];
    for (let from = 0; from < ids.length; from += AT_ONCE) await this.#reckon(ids.slice(from, from + AT_ONCE));
  }

  async #all(): Promise<void> {
    for (let [after, size] = [FIRST_ID, AT_ONCE]; size === AT_ONCE;) {
      const rows = await this.#dataSource.query<{ id: string }[]>(EVERYBODY, [after, AT_ONCE]);
      await this.#reckon(rows.map(({ id }) => id));
      size = rows.length;
      after = rows.at(-1)?.id ?? after;
    }
  }

  async #reckon(ids: readonly string[]): Promise<void> {
    if (ids.length === 0) return;
    const weighting = await weightingInForce(this.#dataSource);
    const rows = await this.#dataSource.query<LatestPostRow[]>(LATEST_POSTS, [ids]);
    const now = Date.now();
    const posts = new Map(ids.map((id) => [id, [] as LatestPostRow[]]));
    for (const row of rows) posts.get(row.author_id)!.push(row);
    const draws = [...posts].map(([id, own]) => {
      const drawing = own.map((row) => ({ createdAt: row.created_at.getTime(), people: peopleOf(toCounts(row)) }));
      return { id, draw: drawOf(weighting, drawing, now) };
    });
    const drew = draws.filter(({ draw }) => Math.abs(draw) >= LEAST);
    const kept = new Set(drew.map(({ id }) => id));
    await this.#dataSource.query(KEEP_DRAWS, [drew.map(({ id }) => id), drew.map(({ draw }) => draw)]);
    await this.#dataSource.query(DROP_DRAWS, [ids.filter((id) => !kept.has(id))]);
  }
}
