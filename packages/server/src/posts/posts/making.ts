import { toldOfMentions } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { inHotTransaction, type Querying } from '../../ground/database/hot-transaction.js';
import { byColumns, withFieldProblems } from '../../ground/fields/field-columns.js';
import { takeAll, type Taking } from '../../ground/idempotency/service.js';
import { mayBeOnes, SharedActs } from '../../ground/traces/shared-acts.js';
import { tell } from '../../notifications/telling/tell.js';
import { mentionedBy, READING, readAllInto } from '../reading/service.js';
import { setPictures, type PictureChoice } from './pictures.js';
import { createPosts } from './queries.js';

/** A post that is to be made. */
export interface NewPost {
  readonly id: string;
  readonly authorId: string;
  readonly body: string;
  readonly media: readonly PictureChoice[];
  /** Columns of own fields that are given, and their values as one JSON object. */
  readonly columns: readonly string[];
  readonly fields: string | null;
  /** The key of the call, where it has one. */
  readonly taking: Taking | null;
}

/** Nothing more where it was made; or why not, of a call that was made before. */
type Outcome = { readonly refused: unknown } | null;

const MOST_AT_ONCE = 200;

/** Makes posts. Those that come at the same time are made in one transaction. */
export class PostMaking {
  readonly #dataSource: DataSource;
  readonly #acts: SharedActs<NewPost, Outcome>;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
    this.#acts = new SharedActs<NewPost, Outcome>('posts', {
      // Two calls with one key are one call: the second waits for what comes of the first.
      keyOf: ({ id, taking }) => taking?.place ?? id,
      work: (posts) => this.#make(posts),
      most: MOST_AT_ONCE,
      mayBeOnes,
    });
  }

  /** Makes a post, answered once it is committed. @throws Problem `invalid` for pictures that are not the author's own */
  async make(post: NewPost): Promise<void> {
    const outcome = await this.#acts.do(post);
    if (outcome) throw outcome.refused;
  }

  async #make(posts: readonly NewPost[]): Promise<Outcome[]> {
    return withFieldProblems(() =>
      inHotTransaction(this.#dataSource, async (manager) => {
        const refused = await takeAll(manager, posts);
        const made = posts.filter(({ id }) => !refused.has(id));
        if (made.length > 0) await write(manager, made);
        return posts.map(({ id }) => refused.get(id) ?? null);
      }),
    );
  }
}

async function write(manager: Querying, posts: readonly NewPost[]): Promise<void> {
  const texts = posts.map(({ body, authorId }) => ({ body, authorId, postAuthorId: authorId }));
  const spans = await readAllInto(manager, texts, 'count');
  for (const group of byColumns(posts.map((post, i) => ({ ...post, spans: spans[i]! }))))
    await manager.query(createPosts(group[0]!.columns.join()), [
      group.map(({ id }) => id),
      group.map(({ authorId }) => authorId),
      group.map(({ body }) => body),
      group.map((each) => JSON.stringify(each.spans)),
      group.map(({ fields }) => fields),
      READING,
    ]);
  for (const { id, authorId, media } of posts) if (media.length > 0) await setPictures(manager, id, authorId, media);
  await tell(
    manager,
    posts.flatMap(({ id, authorId }, i) => toldOfMentions({ id, authorId, postId: id }, mentionedBy(spans[i]!))),
  );
}
