import { NOTIFICATION_KINDS, type NotificationCursor, type NotificationKind, type SeenMark } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { toAuthor } from '../../accounts/users/author.js';
import type { AuthorView } from '../../accounts/users/schema.js';
import { LAST_ID } from '../../ground/database/keyset.js';
import type { Cursors } from '../../ground/http/cursors.js';
import type { PageRequest } from '../../ground/http/pagination.js';
import { Problem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import {
  ACTORS,
  CHOICES,
  CHOOSE,
  COUNT_UNSEEN,
  COUNT_UNSEEN_OF,
  IS_OF_HERE,
  LIST_NOTIFICATIONS,
  MARK_SEEN,
  NOTE_SEEN,
  SOME_NOTIFICATIONS,
  SWEEP,
  type ActorRow,
  type NotificationRow,
} from './queries.js';
import type { ChoicesView, NotificationPage, NotificationView, UnseenView } from './schema.js';

const MOST_UNSEEN = 99;
const MOST_OTHERS = 99;
/** As many are marked in one transaction: whoever adds to one of them waits so long. */
const MARKED_AT_ONCE = 500;
const SWEPT_AT_ONCE = 1_000;
/** A list is looked at within a day, as a scroll of a feed is. */
const GOOD_FOR_MS = 24 * 3_600_000;

/** What somebody is told, how much of it they have not seen, and of what they want to be told. */
export class Notifications {
  readonly #dataSource: DataSource;
  readonly #cursors: Cursors;
  readonly #address: PublicAddress;

  constructor(dataSource: DataSource, cursors: Cursors, address: PublicAddress) {
    this.#dataSource = dataSource;
    this.#cursors = cursors;
    this.#address = address;
  }

  /**
   * A page of what a user is told, the latest first. What rises while they read on leaves the later pages.
   * @param kinds only these
   * @throws Problem `bad-cursor`, `scroll-expired`
   */
  async list(
    userId: string,
    kinds: readonly NotificationKind[],
    { limit, after }: PageRequest,
  ): Promise<NotificationPage> {
    const from = after === undefined ? null : await this.#open(after, userId, kinds);
    const rows = await this.#dataSource.query<NotificationRow[]>(LIST_NOTIFICATIONS, [
      userId,
      kinds,
      from ? new Date(from.position.at).toISOString() : 'infinity',
      from?.position.id ?? LAST_ID,
      limit + 1,
      from?.snapshot ?? null,
    ]);
    const { snapshot, now } = rows[0]!;
    const mark = { userId, kinds, snapshot, begun: from?.begun ?? now.getTime() };
    const found = rows.filter(isThere);
    const items = await this.#toViews(found.slice(0, limit));
    const last = found.length > limit ? found[limit - 1]! : null;
    const position = last && { at: last.last_at.getTime(), id: last.id };
    return {
      items,
      next: position && (await this.#cursors.writeNotifications({ ...mark, position })),
      ...(await this.unseen(userId, kinds)),
      through: await this.#cursors.writeSeen(mark),
    };
  }

  /** Some notifications and whose they are; those that are gone are left out. */
  async some(ids: readonly string[]): Promise<{ readonly userId: string; readonly view: NotificationView }[]> {
    if (ids.length === 0) return [];
    const rows = (await this.#dataSource.query<NotificationRow[]>(SOME_NOTIFICATIONS, [ids])).filter(isThere);
    const views = await this.#toViews(rows);
    return rows.map(({ user_id: userId }, i) => ({ userId, view: views[i]! }));
  }

  /** How many each of some users has not seen. */
  async unseenOf(userIds: readonly string[]): Promise<Map<string, UnseenView>> {
    if (userIds.length === 0) return new Map();
    const rows = await this.#dataSource.query<{ user_id: string; n: number }[]>(COUNT_UNSEEN_OF, [
      userIds,
      NOTIFICATION_KINDS,
      MOST_UNSEEN + 1,
    ]);
    return new Map(rows.map(({ user_id, n }) => [user_id, toUnseen(n)]));
  }

  /** How many a user has not seen. @param kinds of these alone */
  async unseen(userId: string, kinds: readonly NotificationKind[] = NOTIFICATION_KINDS): Promise<UnseenView> {
    const [row] = await this.#dataSource.query<{ n: number }[]>(COUNT_UNSEEN, [userId, kinds, MOST_UNSEEN + 1]);
    return toUnseen(row!.n);
  }

  /**
   * Marks as seen all that a list could show, and nothing that came since. In batches, so that nobody who acts waits long.
   * @param through as that list gave it
   * @throws Problem `bad-cursor` for another user's or none of ours, `scroll-expired`
   */
  async markSeen(userId: string, through: string): Promise<void> {
    const mark = await this.#cursors.readSeen(through);
    if (!mark || mark.userId !== userId)
      throw new Problem(
        'bad-cursor',
        'This is no `through` of a list of your notifications, or it was changed on the way: pass it exactly as it came.',
      );
    await this.#requireFresh(mark);
    const parameters = [userId, mark.kinds, mark.snapshot, MARKED_AT_ONCE];
    for (let n = MARKED_AT_ONCE; n === MARKED_AT_ONCE;)
      [{ n }] = await this.#dataSource.query<[{ n: number }]>(MARK_SEEN, parameters);
    await this.#dataSource.query(NOTE_SEEN, [userId]);
  }

  /** Of which kinds a user is told. */
  async choices(userId: string): Promise<ChoicesView> {
    const [row] = await this.#dataSource.query<{ switched_off: NotificationKind[] }[]>(CHOICES, [userId]);
    const off = row?.switched_off ?? [];
    return Object.fromEntries(NOTIFICATION_KINDS.map((kind) => [kind, !off.includes(kind)])) as ChoicesView;
  }

  /** Switches kinds on and off, from now on; null is on. */
  async choose(userId: string, changes: Partial<Record<NotificationKind, boolean | null>>): Promise<ChoicesView> {
    const named = Object.entries(changes).filter(([, on]) => on !== undefined);
    const [off, on] = [false, true].map((wanted) =>
      named.filter(([, on]) => (on ?? true) === wanted).map(([kind]) => kind),
    );
    if (named.length > 0) await this.#dataSource.query(CHOOSE, [userId, off, on]);
    return this.choices(userId);
  }

  /** Removes what was told longer ago than so many days; that it was told is remembered. */
  async sweep(days: number): Promise<void> {
    // A little later than the clock of the database may say: the instants decide.
    const madeBefore = uuidv7({ msecs: Date.now() - days * 86_400_000 + 3_600_000 });
    for (let gone = SWEPT_AT_ONCE; gone === SWEPT_AT_ONCE;)
      [, gone] = await this.#dataSource.query<[unknown[], number]>(SWEEP, [days, SWEPT_AT_ONCE, madeBefore]);
  }

  async #open(after: string, userId: string, kinds: readonly string[]): Promise<NotificationCursor> {
    const cursor = await this.#cursors.readNotifications(after);
    if (!cursor || cursor.userId !== userId)
      throw new Problem(
        'bad-cursor',
        'This is no cursor of your notifications, is too old, or was changed on the way: pass `next` exactly as it came.',
      );
    if (cursor.kinds.join() !== kinds.join())
      throw new Problem('bad-cursor', `This cursor belongs to kinds=${cursor.kinds.join(',')}: ask for the same.`);
    await this.#requireFresh(cursor);
    return cursor;
  }

  /** Transaction numbers mean nothing after a restore. */
  async #requireFresh({ snapshot, begun }: SeenMark): Promise<void> {
    const [row] = await this.#dataSource.query<{ here: boolean }[]>(IS_OF_HERE, [snapshot]);
    if (Date.now() - begun > GOOD_FOR_MS || !row!.here)
      throw new Problem('scroll-expired', 'This list was read more than a day ago: read it again.');
  }

  async #toViews(rows: readonly (NotificationRow & { id: string })[]): Promise<NotificationView[]> {
    const ids = [...new Set(rows.flatMap(({ actors }) => actors ?? []))];
    const people = ids.length === 0 ? [] : await this.#dataSource.query<ActorRow[]>(ACTORS, [ids]);
    const byId = new Map(people.map((row) => [row.author_id, toAuthor(row, this.#address)]));
    return rows.map((row) => this.#toView(row, byId));
  }

  #toView(row: NotificationRow & { id: string }, people: ReadonlyMap<string, AuthorView>): NotificationView {
    const { id, kind, unseen, last_at, target_id: targetId, post_id: postId, text, thing_id: thingId } = row;
    const actors = (row.actors ?? []).flatMap((actor) => people.get(actor) ?? []);
    const others = row.people - actors.length;
    // A comment says something, or was reacted to; what is said or reacted to may be the post itself.
    const saying = kind === 'reacted' ? targetId : thingId;
    const commentId = postId === null || saying === postId ? null : saying;
    const target = postId === null ? 'user' : targetId === postId ? 'post' : 'comment';
    return {
      id,
      kind,
      unseen,
      at: last_at.toISOString(),
      actors,
      others: Math.min(others, MOST_OTHERS),
      more: others > MOST_OTHERS,
      target: { kind: target, id: targetId },
      postId,
      commentId,
      text,
      link: this.#address.to(
        commentId !== null
          ? `/v1/comments/${commentId}`
          : postId !== null
            ? `/v1/posts/${postId}`
            : `/v1/users/${actors[0]?.id ?? targetId}`,
      ),
    };
  }
}

const toUnseen = (n: number): UnseenView => ({ unseen: Math.min(n, MOST_UNSEEN), more: n > MOST_UNSEEN });

const isThere = (row: NotificationRow): row is NotificationRow & { id: string } => row.id !== null;
