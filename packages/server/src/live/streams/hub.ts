import { setTimeout as pause } from 'node:timers/promises';
import { aside } from '../../ground/traces/call-scope.js';
import { netOf, type EventPosition } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { Feed } from '../../feed/service.js';
import { readerOf } from '../../ground/http/reader.js';
import { Problem } from '../../ground/http/problem.js';
import type { Batch, Events, HappenedEvent } from '../../notifications/events/events.js';
import type { UnseenView } from '../../notifications/list/schema.js';
import type { Notifications } from '../../notifications/list/service.js';
import { weightingInForce } from '../../ranking/weighting/in-force.js';
import { grouped } from './grouped.js';
import { CONCERNED, ENDED, TALLIES, type TalliesRow } from './queries.js';
import type { Stream } from './stream.js';

/** How often is looked for what is new, while anybody is connected. */
const LOOK_EVERY_MS = 80;
/** How often is looked whose session has ended. */
const SESSIONS_EVERY_MS = 400;
/** Counts of posts on screen are told so often at most. */
const TALLIES_EVERY_MS = 300;
/** How many posts came above is told so often at most. */
const NEWER_EVERY_MS = 2_000;
const BEAT_EVERY_MS = 15_000;
/** A bearer of an outside issuer's token, which has no session here, comes back with a new one. */
const WITHOUT_SESSION_MS = 600_000;
const RETRY_MS = 2_000;

/** What streams are told from. */
export interface Sources {
  readonly dataSource: DataSource;
  readonly events: Events;
  readonly notifications: Notifications;
  readonly feed: Feed;
}

/**
 * The streams of a process. One statement now and then asks what is new for all of them, while there are any; whom that concerns is told
 * of it, at the same time.
 */
export class StreamHub {
  readonly #sources: Sources;
  readonly #limits: { readonly perUser: number; readonly perProcess: number };
  readonly #streams = new Set<Stream>();
  readonly #perUser = new Map<string, number>();
  /** What was counted anew, and who made posts, since that was told last. */
  readonly #counted = new Set<string>();
  #allCounted = false;
  readonly #lifted = { authors: new Set<string>(), posts: new Set<string>(), all: false };
  readonly #lastly = new Map<string, number>();
  #reserved = 0;
  #delayMs = 0;
  #position: EventPosition | null = null;
  #isLooking = false;
  #looking = Promise.resolve();
  #ended = false;

  constructor(sources: Sources, limits: { readonly perUser: number; readonly perProcess: number }) {
    this.#sources = sources;
    this.#limits = limits;
  }

  /** How long ago the event was made that was heard of last, when it was heard of. */
  get delaySeconds(): number {
    return this.#delayMs / 1000;
  }

  /** How many streams are open. */
  get size(): number {
    return this.#streams.size;
  }

  /**
   * Takes a place for a stream of a user's.
   * @returns gives it free
   * @throws Problem `too-many-streams`, `stopping`
   */
  reserve(userId: string): () => void {
    const { perUser, perProcess } = this.#limits;
    if (this.#ended) throw new Problem('stopping', 'The service is stopping: try again in a moment.');
    const own = this.#perUser.get(userId) ?? 0;
    if (own >= perUser || this.#reserved >= perProcess) {
      const why =
        own >= perUser
          ? `You have ${own} streams open; the limit is ${perUser}`
          : `This process serves ${this.#reserved} streams, and no more`;
      throw new Problem('too-many-streams', `${why}: close one, or try again in a moment.`, undefined, 5);
    }
    this.#perUser.set(userId, own + 1);
    this.#reserved++;
    let isFree = false;
    return () => {
      if (isFree) return;
      isFree = true;
      this.#reserved--;
      const left = this.#perUser.get(userId)! - 1;
      if (left > 0) this.#perUser.set(userId, left);
      else this.#perUser.delete(userId);
    };
  }

  /** Where a stream that begins now begins. */
  async begin(): Promise<EventPosition> {
    return this.#position ?? (await this.#sources.events.now());
  }

  /**
   * Takes a stream in: it is told at once what it missed since its position and how things stand, and from then on of what happens.
   */
  async add(stream: Stream): Promise<void> {
    this.#streams.add(stream);
    this.#position ??= await this.#sources.events.now();
    // The others go on meanwhile: it runs after them until it is where they are.
    while (stream.position !== this.#position) {
      const [from, until] = [stream.position, this.#position];
      const missed = await this.#sources.events.between(from, until);
      if (missed === null) stream.send('reset', {}, until);
      else await this.#tell([stream], missed, from, until);
      stream.position = until;
    }
    if (!this.#isLooking) this.#looking = aside(() => this.#look());
    await this.#stand([stream]);
  }

  /** Lets a stream go. */
  remove(stream: Stream): void {
    this.#streams.delete(stream);
  }

  /** Ends all streams at once, which come back later. */
  endAll(): void {
    this.#ended = true;
    for (const stream of this.#streams) stream.end(RETRY_MS);
  }

  /** What is under way has ended. */
  async settled(): Promise<void> {
    this.endAll();
    await this.#looking;
  }

  async #look(): Promise<void> {
    this.#isLooking = true;
    while (this.#streams.size > 0 && !this.#ended) {
      try {
        await this.#round();
        await pause(LOOK_EVERY_MS, undefined, { ref: false });
      } catch {
        // The database is away: the position stays, so that nothing is missed once it is back.
        await pause(10 * LOOK_EVERY_MS, undefined, { ref: false });
      }
    }
    this.#isLooking = false;
    if (this.#streams.size === 0) this.#position = null;
  }

  async #round(): Promise<void> {
    const before = this.#position!;
    const { events, after, latest }: Batch = await this.#sources.events.since(before);
    if (latest !== null) this.#delayMs = after.at - latest;
    for (const event of events ?? []) this.#remember(event);
    const all: Stream[] = [];
    // Who is taken in meanwhile, and has come as far as the others were, hears it with them.
    for (let next = this.#at(before, all); next.length > 0; next = this.#at(before, all)) {
      all.push(...next);
      if (events === null) for (const stream of next) stream.send('reset', {}, after);
      else await this.#tell(next, events, before, after);
    }
    for (const stream of all) stream.position = after;
    this.#position = after;
    if (events === null) {
      for (const stream of all) stream.unseen = null;
      await this.#stand(all);
    }
    if (this.#isTime('sessions', SESSIONS_EVERY_MS)) await this.#endWithoutSession();
    if (this.#isTime('tallies', TALLIES_EVERY_MS)) await this.#tellTallies();
    if (this.#isTime('newer', NEWER_EVERY_MS)) await this.#tellNewer();
    if (this.#isTime('beat', BEAT_EVERY_MS)) for (const stream of all) stream.beat(after);
  }

  #at(position: EventPosition, but: readonly Stream[]): Stream[] {
    return [...this.#streams].filter((stream) => stream.position === position && !but.includes(stream));
  }

  /** Tells streams what happened between two positions; of the same notification once, with how it is now. */
  async #tell(
    streams: readonly Stream[],
    events: readonly HappenedEvent[],
    before: EventPosition,
    after: EventPosition,
  ): Promise<void> {
    const byUser = grouped(streams, ({ order }) => order.viewer.userId);
    const stirred = new Set<string>();
    /** Where a user is told last of a notification. */
    const made = new Map<string, { readonly userId: string; readonly row: bigint; readonly n: number }>();
    for (const event of events.filter(({ kind }) => kind.startsWith('notification.'))) {
      const { kind, subjects, details, row, heard } = event;
      if (subjects === null) for (const userId of byUser.keys()) stirred.add(userId);
      for (const [n, userId] of (subjects ?? []).entries()) {
        if (!byUser.has(userId) || n < heard) continue;
        stirred.add(userId);
        if (kind === 'notification.made') made.set(details![n]!, { userId, row, n });
      }
    }
    // All is asked before anything is said: where the database goes away in between, nothing is said twice.
    const shown = await this.#sources.notifications.some([...made.keys()]);
    const counts = await this.#sources.notifications.unseenOf([...stirred]);
    const inOrder = shown
      .map((each) => ({ ...each, ...made.get(each.view.id)! }))
      .sort((a, b) => (a.row === b.row ? a.n - b.n : a.row < b.row ? -1 : 1));
    for (const { view, userId, row, n } of inOrder)
      for (const stream of byUser.get(userId) ?? [])
        stream.send('notification', view, { ...before, within: { snapshot: after.snapshot, row: String(row), n } });
    for (const userId of stirred)
      for (const stream of byUser.get(userId)!) sayUnseen(stream, counts.get(userId)!, after);
  }

  #remember({ kind, subjects, details }: HappenedEvent): void {
    if (kind === 'post.counted') {
      if (subjects === null) this.#allCounted = this.#lifted.all = true;
      for (const post of subjects ?? []) {
        this.#counted.add(post);
        this.#lifted.posts.add(post);
      }
    } else if (kind === 'post.made') {
      if (subjects === null || details === null) this.#lifted.all = true;
      for (const author of subjects ?? []) this.#lifted.authors.add(author);
    }
  }

  /** Tells how things stand now: what is unseen, the counts of the posts on screen, and what came above. */
  async #stand(streams: readonly Stream[]): Promise<void> {
    const counts = await this.#sources.notifications.unseenOf([
      ...new Set(streams.map(({ order }) => order.viewer.userId)),
    ]);
    for (const stream of streams) sayUnseen(stream, counts.get(stream.order.viewer.userId)!, stream.position);
    await this.#tallies(streams.flatMap((stream) => [...stream.order.posts].map((post) => ({ stream, post }))));
    await this.#newer(streams);
  }

  async #tellTallies(): Promise<void> {
    const isCounted = this.#allCounted ? () => true : (post: string) => this.#counted.has(post);
    const pairs = [...this.#streams].flatMap((stream) =>
      [...stream.order.posts].filter(isCounted).map((post) => ({ stream, post })),
    );
    this.#allCounted = false;
    this.#counted.clear();
    await this.#tallies(pairs);
  }

  async #tallies(pairs: readonly { readonly stream: Stream; readonly post: string }[]): Promise<void> {
    if (pairs.length === 0) return;
    const distinct = new Map(
      pairs.map(({ stream, post }) => [`${stream.order.viewer.userId} ${post}`, stream.order.viewer.userId]),
    );
    const posts = [...distinct.keys()].map((key) => key.split(' ')[1]!);
    const rows = await this.#sources.dataSource.query<TalliesRow[]>(TALLIES, [[...distinct.values()], posts]);
    const shown = new Map(rows.map((row) => [`${row.user_id} ${row.post_id}`, row]));
    for (const [stream, own] of grouped(pairs, (pair) => pair.stream)) {
      const items = own.flatMap(({ post }) => {
        const row = shown.get(`${stream.order.viewer.userId} ${post}`);
        if (!row) return [];
        const { post_id: postId, comments, reactions, weights } = row;
        return [{ postId, tallies: { comments, reactions, net: netOf(reactions, weights) } }];
      });
      if (items.length > 0) stream.send('tallies', { items });
    }
  }

  async #tellNewer(): Promise<void> {
    const { authors, posts, all } = this.#lifted;
    const [made, counted] = [[...authors], [...posts]];
    authors.clear();
    posts.clear();
    this.#lifted.all = false;
    if (!all && made.length + counted.length === 0) return;
    const readers = [...this.#streams].filter(({ order }) => order.than !== null);
    if (readers.length === 0) return;
    const ids = [...new Set(readers.map(({ order }) => order.viewer.userId))];
    const concerned = all
      ? ids
      : (await this.#sources.dataSource.query<{ id: string }[]>(CONCERNED, [ids, made, counted])).map(({ id }) => id);
    const isConcerned = new Set(concerned);
    await this.#newer(readers.filter(({ order }) => isConcerned.has(order.viewer.userId)));
  }

  async #newer(streams: readonly Stream[]): Promise<void> {
    const readers = streams.filter(({ order }) => order.than !== null);
    if (readers.length === 0) return;
    const weighting = await weightingInForce(this.#sources.dataSource);
    for (const stream of readers) {
      const { viewer, than } = stream.order;
      const reader = readerOf(this.#sources.dataSource, { ...viewer, weighting });
      const view = await this.#sources.feed.newer(reader, than!).catch((error: unknown) => {
        // A scroll of a day ago: whoever reads it is told when they read on.
        if (error instanceof Problem) return null;
        throw error;
      });
      if (view === null || JSON.stringify(view) === JSON.stringify(stream.newer)) continue;
      stream.newer = view;
      stream.send('newer', view);
    }
  }

  async #endWithoutSession(): Promise<void> {
    const all = [...this.#streams];
    const rows = await this.#sources.dataSource.query<{ session_id: string | null; user_id: string }[]>(ENDED, [
      all.map(({ order }) => order.viewer.id),
      all.map(({ order }) => order.viewer.userId),
    ]);
    const ended = new Set(rows.map(({ session_id, user_id }) => `${session_id} ${user_id}`));
    for (const stream of all) {
      const { id, userId } = stream.order.viewer;
      if (ended.has(`${id} ${userId}`)) stream.end();
      else if (id === null && Date.now() - stream.openedAt > WITHOUT_SESSION_MS) stream.end(RETRY_MS);
    }
  }

  #isTime(what: string, everyMs: number): boolean {
    const [now, last] = [Date.now(), this.#lastly.get(what) ?? 0];
    if (now - last < everyMs) return false;
    this.#lastly.set(what, now);
    return true;
  }
}

/** Says how much is unseen, where that is other than what was said last. */
function sayUnseen(stream: Stream, unseen: UnseenView, at: EventPosition): void {
  const text = JSON.stringify(unseen);
  if (stream.unseen === text) return;
  stream.unseen = text;
  stream.send('unseen', unseen, at);
}
