import type { EventPosition } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { FORGET_EVENTS, MOST_EVENTS, WHAT_IS_NEW, WHAT_WAS_NEW, type EventRow, type NewRow } from './queries.js';

/**
 * What happens, as `events` says it: told somebody something (`notification.made`: whom, and the notifications), ended that
 * (`notification.ended`), or looked (`notification.seen`: whom); made a post (`post.made`: authors, and the posts), or counted anew what came of one (`post.counted`).
 */
export interface HappenedEvent {
  /** Rises within a transaction, not among several. */
  readonly row: bigint;
  readonly kind: string;
  /** Null where they are too many to be named. */
  readonly subjects: readonly string[] | null;
  readonly details: readonly string[] | null;
  /** So many of its subjects have been heard of before. */
  readonly heard: number;
}

/** What happened between two snapshots; null where it cannot be known, or is too much to be told. */
export interface Batch {
  readonly after: EventPosition;
  readonly events: readonly HappenedEvent[] | null;
  /** When the last of them was made, in milliseconds by the clock of the database; null where nothing happened. */
  readonly latest: number | null;
}

const FORGOTTEN_AT_ONCE = 10_000;

/** Reads what happened: what is new is what a snapshot did not show, so nothing is missed that commits late. */
export class Events {
  readonly #dataSource: DataSource;
  readonly #keptMs: number;

  constructor(dataSource: DataSource, keptHours: number) {
    this.#dataSource = dataSource;
    this.#keptMs = keptHours * 3_600_000;
  }

  /** Where somebody who begins now begins. */
  async now(): Promise<EventPosition> {
    return (await this.since(null)).after;
  }

  /** What happened since a position. */
  async since(position: EventPosition | null): Promise<Batch> {
    const rows = await this.#dataSource.query<NewRow[]>(WHAT_IS_NEW, [position?.snapshot ?? null]);
    const { snapshot, at, here } = rows[0]!;
    const after = { at: at.getTime(), snapshot };
    // The last of an hour may be forgotten already.
    const isKnown = here && (position === null || after.at - position.at < this.#keptMs);
    const events = rows.filter((row) => row.id !== null);
    const latest = events.reduce((last, { made_at }) => Math.max(last, made_at.getTime()), -Infinity);
    return {
      after,
      events: isKnown && events.length <= MOST_EVENTS ? inOrder(events) : null,
      latest: events.length > 0 ? latest : null,
    };
  }

  /** What somebody who heard up to a position has not heard of what a later one shows; null where it cannot be known. */
  async between(position: EventPosition, later: EventPosition): Promise<readonly HappenedEvent[] | null> {
    if (later.at - position.at >= this.#keptMs || !isBefore(position.snapshot, later.snapshot)) return null;
    const { snapshot, within } = position;
    const [rows, heard] = await Promise.all([
      this.#dataSource.query<EventRow[]>(WHAT_WAS_NEW, [snapshot, later.snapshot]),
      within ? this.#dataSource.query<EventRow[]>(WHAT_WAS_NEW, [snapshot, within.snapshot]) : [],
    ]);
    if (rows.length > MOST_EVENTS || heard.length > MOST_EVENTS) return null;
    const last = within ? BigInt(within.row) : 0n;
    const gone = new Set(heard.filter(({ id }) => BigInt(id) < last).map(({ id }) => id));
    return inOrder(
      rows.filter(({ id }) => !gone.has(id)),
      (row) => (within && row === last ? within.n + 1 : 0),
    );
  }

  /** Forgets what nobody takes up any more. */
  async forget(): Promise<void> {
    // Somebody may have begun to read on just now.
    const hours = this.#keptMs / 3_600_000 + 1;
    for (let gone = FORGOTTEN_AT_ONCE; gone === FORGOTTEN_AT_ONCE;)
      [, gone] = await this.#dataSource.query<[unknown[], number]>(FORGET_EVENTS, [hours, FORGOTTEN_AT_ONCE]);
  }
}

/** Whether a snapshot was taken in the database of the later one, and not in one that it was restored from. */
const isBefore = (snapshot: string, later: string): boolean => endOf(snapshot) <= endOf(later);
const endOf = (snapshot: string): bigint => BigInt(snapshot.split(':')[1]!);

const inOrder = (rows: readonly EventRow[], heardOf = (_row: bigint) => 0): HappenedEvent[] =>
  rows
    .map(({ id, kind, subjects, details }) => ({
      row: BigInt(id),
      kind,
      subjects,
      details,
      heard: heardOf(BigInt(id)),
    }))
    .sort((a, b) => (a.row < b.row ? -1 : 1));
