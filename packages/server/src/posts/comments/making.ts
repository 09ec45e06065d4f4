import { toldOfComment } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inHotTransaction, type Querying } from '../../ground/database/hot-transaction.js';
import { byColumns, withFieldProblems } from '../../ground/fields/field-columns.js';
import { takeAll, type Taking } from '../../ground/idempotency/service.js';
import { mayBeOnes, SharedActs } from '../../ground/traces/shared-acts.js';
import { tell } from '../../notifications/telling/tell.js';
import { LOCK_POST_TALLIES } from '../../ranking/tallies/locks.js';
import { mentionedBy, READING, readAllInto } from '../reading/service.js';
import type { Watches } from '../watches/service.js';
import { AUTHORS_ABOVE, createComments, type AuthorsAboveRow } from './queries.js';

/** A comment that is to be made. */
export interface NewComment {
  readonly id: string;
  readonly postId: string;
  readonly authorId: string;
  readonly body: string;
  readonly parentId: string | null;
  /** Columns of own fields that are given, and their values as one JSON object. */
  readonly columns: readonly string[];
  readonly fields: string | null;
  /** The key of the call, where it has one. */
  readonly taking: Taking | null;
}

/** Whether it was made; or why not, of a call that was made before. */
type Outcome = boolean | { readonly refused: unknown };

const MOST_AT_ONCE = 200;

/** Makes comments. Those that come at the same time are made in one transaction. */
export class CommentMaking {
  readonly #dataSource: DataSource;
  readonly #watches: Watches;
  readonly #deepest: number;
  readonly #acts: SharedActs<NewComment, Outcome>;

  /** @param deepest how many comments one can stand under */
  constructor(dataSource: DataSource, watches: Watches, deepest: number) {
    this.#dataSource = dataSource;
    this.#watches = watches;
    this.#deepest = deepest;
    this.#acts = new SharedActs<NewComment, Outcome>('comments', {
      // Two calls with one key are one call: the second waits for what comes of the first.
      keyOf: ({ id, taking }) => taking?.place ?? id,
      work: (comments) => this.#make(comments),
      most: MOST_AT_ONCE,
      mayBeOnes,
    });
  }

  /**
   * Makes a comment, answered once it is committed.
   * @returns false where there is no such post for its author, or nothing there that it could answer
   */
  async make(comment: NewComment): Promise<boolean> {
    const outcome = await this.#acts.do(comment);
    if (typeof outcome === 'object') throw outcome.refused;
    if (outcome) this.#watches.announceSoon();
    return outcome;
  }

  async #make(comments: readonly NewComment[]): Promise<Outcome[]> {
    return withFieldProblems(() =>
      inHotTransaction(this.#dataSource, async (manager) => {
        const refused = await takeAll(manager, comments);
        const made = await this.#write(
          manager,
          comments.filter(({ id }) => !refused.has(id)),
        );
        const outcomes = comments.map(({ id }): Outcome => refused.get(id) ?? made.has(id));
        for (const [i, { taking }] of comments.entries()) if (outcomes[i] === false) await taking?.leave(manager);
        return outcomes;
      }),
    );
  }

  /** Writes them in the order in which every writer takes its locks: counts, people, telling. @returns ids of those that are made */
  async #write(manager: Querying, comments: readonly NewComment[]): Promise<Set<string>> {
    const posts = comments.map(({ postId }) => postId);
    await manager.query(LOCK_POST_TALLIES, [[...new Set(posts)]]);
    const parents = comments.map(({ parentId }) => parentId);
    const rows = await manager.query<AuthorsAboveRow[]>(AUTHORS_ABOVE, [posts, parents]);
    const found = rows.map((row) => ({ comment: comments[row.n - 1]!, ...row }));
    // Held against a block that is being made: whoever blocks first is not answered, nor mentioned.
    const others = found.flatMap((each) => [each.post_author_id, each.parent_author_id].filter((id) => id !== null));
    const texts = found.map(({ comment: { body, authorId }, post_author_id }) => ({
      body,
      authorId,
      postAuthorId: post_author_id,
    }));
    const spans = await readAllInto(manager, texts, 'share', others);
    const read = found.map((each, i) => ({ ...each, columns: each.comment.columns, spans: spans[i]! }));
    const made = new Set<string>();
    for (const group of byColumns(read)) {
      const list = group.map(({ comment }) => comment);
      const ids = await manager.query<{ id: string }[]>(createComments(list[0]!.columns.join()), [
        list.map(({ id }) => id),
        list.map(({ postId }) => postId),
        list.map(({ authorId }) => authorId),
        list.map(({ body }) => body),
        list.map(({ parentId }) => parentId),
        group.map((each) => JSON.stringify(each.spans)),
        list.map(({ fields }) => fields),
        READING,
        this.#deepest,
      ]);
      for (const { id } of ids) made.add(id);
    }
    if (made.size === 0) return made;
    const told = read.filter(({ comment }) => made.has(comment.id));
    await tell(
      manager,
      told.flatMap(({ comment: { id, authorId, postId, parentId }, post_author_id, parent_author_id, spans }) =>
        toldOfComment({
          id,
          authorId,
          postId,
          postAuthorId: post_author_id,
          parent: parentId !== null && parent_author_id !== null ? { id: parentId, authorId: parent_author_id } : null,
          mentioned: mentionedBy(spans),
        }),
      ),
    );
    await this.#watches.commented(manager, [...made]);
    return made;
  }
}
