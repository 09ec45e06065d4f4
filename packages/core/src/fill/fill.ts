import { stringify, v7 as uuidv7 } from 'uuid';
import { inBucketOf } from '../buckets/bucket.js';
import { columnOf, fieldsOf, type Field, type OwnFields, type ModelTableName } from '../model/field.js';
import { makeValue } from '../model/makers.js';
import { COMMENTS, POSTS, SLOTS, type Topic } from '../demo/phrases.js';
import { Chance, drawInstant, HeavyTail } from './chance.js';
import { readText } from '../reading/read-text.js';
import { handlesIn, storeSpans } from '../reading/spans.js';
import { DEEPEST, placeUnder, type ThreadPlace } from '../reading/thread-place.js';
import { FIRST_NAMES, HASHTAG_BEGINNINGS, HASHTAG_ENDS, LAST_NAMES, LINES } from './words.js';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** How much is to be made. */
export interface FillRequest {
  readonly users: number;
  readonly posts: number;
  /** On average; a few follow and are followed a great deal. */
  readonly follows: number;
  readonly comments: number;
  readonly reactions: number;
  /** Kinds of reaction, the most usual first. */
  readonly kinds: readonly string[];
  /** Over how many days the posts spread. */
  readonly days: number;
  readonly seed: number;
  /** Tells the users of one fill from those of another: part of their handles. */
  readonly run: number;
  /** The instant that times are laid back from, in milliseconds. */
  readonly now: number;
}

/** Who writes, follows and comments: users that this fill makes, or users who are there already. */
export interface Authors {
  readonly size: number;
  idAt(index: number): string;
}

/** Rows for one table, as values in the order of its columns; instants in milliseconds. */
export interface TableRows {
  readonly table:
    'users' | 'credentials' | 'follows' | 'mutes' | 'posts' | 'comments' | 'reactions' | 'comment_reactions';
  readonly rows: (string | number | boolean | null)[][];
}

/** Rows that belong together: they are loaded in one transaction, or not at all. */
export type Batch = TableRows[];

/** The columns that each table's rows have, in order. Credentials lack the password hash, which is the loader's. */
export const FILL_COLUMNS = {
  users: ['id', 'handle', 'name', 'bio', 'created_at'],
  credentials: ['user_id', 'email', 'demo'],
  follows: ['follower_id', 'followee_id', 'created_at'],
  mutes: ['muter_id', 'muted_id', 'created_at'],
  posts: ['id', 'author_id', 'body', 'created_at', 'spans'],
  comments: ['id', 'post_id', 'author_id', 'body', 'created_at', 'spans', 'parent_id', 'under_id', 'depth'],
  reactions: ['post_id', 'user_id', 'kind', 'created_at'],
  comment_reactions: ['comment_id', 'user_id', 'kind', 'created_at'],
} as const;

/** Columns that hold instants. */
export const FILL_INSTANTS: ReadonlySet<string> = new Set(['created_at']);

const USERS_A_BATCH = 2_000;
const FOLLOWS_A_BATCH = 20_000;
const POSTS_A_BATCH = 4_000;
const ONE_MUTES_IN = 20;
/** One in so many comments gets a reaction. */
const ONE_ANSWER_IN = 8;
/** One in so many posts gathers under a word of its author's choice too. */
const ONE_HASHTAG_IN = 3;
/** One in so many comments answers another one, and one in so many names somebody. */
const ONE_REPLY_IN = 3;
const ONE_MENTION_IN = 12;
/** How many words there are to choose from. */
const HASHTAGS = 20_000;
/** How much more usual each kind of reaction is than the next. */
const USUAL = 0.85;
const MOST_ON_A_POST = 500;
const STREAM = { user: 1, follows: 2, posts: 3, ids: 4, fields: 5 };
/** Serials of one fill's rows are apart from those of the next. */
const SERIALS_A_RUN = 100_000_000;
const SERIALS = { users: USERS_A_BATCH, posts: POSTS_A_BATCH, comments: 1_000_000 };
const TOPICS = Object.keys(POSTS) as Topic[];

/** A fill as a list of batches, each made on its own from the seed: any of them can be made again without the others. */
export class Fill {
  readonly batches: number;
  readonly #request: FillRequest;
  readonly #model: OwnFields;
  readonly #authors: Authors;
  readonly #followers: number;
  readonly #counts: { users: number; follows: number; posts: number };
  readonly #userIds: Uint8Array;
  readonly #popularity: HeavyTail;
  readonly #activity: HeavyTail;
  readonly #hashtags = new HeavyTail(HASHTAGS, 0.95, 5);
  readonly #deepest: number;

  /**
   * @param there users who are there already; they are the cast when the request makes none
   * @param model the developer's own fields, which are filled too
   * @param deepest how many comments one can stand under
   */
  constructor(request: FillRequest, there: Authors, model: OwnFields = [], deepest = DEEPEST) {
    this.#request = request;
    this.#deepest = deepest;
    this.#model = model;
    this.#userIds = this.#makeUserIds();
    this.#authors = request.users > 0 ? { size: request.users, idAt: (index) => this.#userId(index) } : there;
    const { size } = this.#authors;
    if (size === 0 && (request.posts > 0 || request.follows > 0))
      throw new RangeError('there is nobody who could post: make users too');
    // A user's follows are made together, so that none is made twice.
    this.#followers = Math.max(1, Math.floor(FOLLOWS_A_BATCH / Math.max(1, request.follows / Math.max(1, size))));
    const follows = request.follows > 0 && request.users > 0 ? Math.ceil(size / this.#followers) : 0;
    this.#counts = {
      users: Math.ceil(request.users / USERS_A_BATCH),
      follows,
      posts: Math.ceil(request.posts / POSTS_A_BATCH),
    };
    this.batches = this.#counts.users + follows + this.#counts.posts;
    this.#popularity = new HeavyTail(Math.max(1, size), 0.9, 1);
    this.#activity = new HeavyTail(Math.max(1, size), 0.7, 3);
  }

  /** Rows of one batch, from 0 to `batches` - 1; the same every time. */
  batch(index: number): Batch {
    const { users, follows } = this.#counts;
    if (index < users) return this.#withOwnFields(this.#users(index), index);
    if (index < users + follows) return this.#follows(index - users);
    const posts = index - users - follows;
    return this.#withOwnFields(this.#posts(posts), posts);
  }

  /** The columns of a table's rows: those of every fill, and those of the developer's own fields after them. */
  columns(table: TableRows['table']): string[] {
    return [...FILL_COLUMNS[table], ...this.#fieldsOf(table).map(({ name }) => columnOf(name))];
  }

  #fieldsOf(table: TableRows['table']): Field[] {
    return fieldsOf(this.#model, table as ModelTableName);
  }

  #withOwnFields(parts: Batch, batch: number): Batch {
    const { seed, run } = this.#request;
    return parts.map(({ table, rows }) => {
      const fields = this.#fieldsOf(table);
      if (fields.length === 0) return { table, rows };
      const first = run * SERIALS_A_RUN + batch * SERIALS[table as ModelTableName];
      const filled = rows.map((row, i) => {
        const chance = new Chance(seed, run, STREAM.fields, table.length, batch, i);
        // A user can refer to those who come before only.
        const known = table === 'users' ? batch * USERS_A_BATCH + i : this.#authors.size;
        const user = () => (known > 0 ? this.#authors.idAt(chance.int(0, known - 1)) : null);
        const making = { chance, serial: first + i, user, ...(table === 'users' && { person: String(row[2]) }) };
        return [...row, ...fields.map((field) => makeValue(field, making))];
      });
      return { table, rows: filled };
    });
  }

  /** What a batch is about, for those who watch. */
  phase(index: number): 'users' | 'follows' | 'posts and what they get' {
    const { users, follows } = this.#counts;
    return index < users ? 'users' : index < users + follows ? 'follows' : 'posts and what they get';
  }

  /** Sixteen bytes for each user that is made; the first six are the instant of sign-up. */
  #makeUserIds(): Uint8Array {
    const { seed, run, users, now, days } = this.#request;
    const ids = new Uint8Array(users * 16);
    const chance = new Chance(seed, run, STREAM.ids);
    const latest = now - days * DAY - 60_000;
    for (let i = 0; i < users; i++)
      uuidv7({ msecs: latest - Math.floor(chance.float() * 400 * DAY), random: chance.bytes() }, ids, i * 16);
    return ids;
  }

  #userId(index: number): string {
    return stringify(this.#userIds, index * 16);
  }

  #userCreatedAt(index: number): number {
    return (
      new DataView(this.#userIds.buffer).getUint32(index * 16) * 65_536 +
      new DataView(this.#userIds.buffer).getUint16(index * 16 + 4)
    );
  }

  #users(batch: number): Batch {
    const { seed, run, users: total } = this.#request;
    const users: TableRows['rows'] = [];
    const credentials: TableRows['rows'] = [];
    const end = Math.min((batch + 1) * USERS_A_BATCH, total);
    for (let i = batch * USERS_A_BATCH; i < end; i++) {
      const chance = new Chance(seed, run, STREAM.user, i, 1);
      const [first, last] = [chance.pick(FIRST_NAMES), chance.pick(LAST_NAMES)];
      const id = this.#userId(i);
      const handle = this.#handleOf(first, i);
      users.push([
        id,
        handle,
        `${first} ${last}`,
        chance.float() < 0.7 ? chance.pick(LINES) : '',
        this.#userCreatedAt(i),
      ]);
      credentials.push([id, `${handle}@fill.example`, true]);
    }
    return [
      { table: 'users', rows: users },
      { table: 'credentials', rows: credentials },
    ];
  }

  /** Unique however many are asked for: the run and the index are in it. */
  #handleOf(first: string, index: number): string {
    return `${first.toLowerCase()}_${this.#request.run.toString(36)}_${index.toString(36)}`;
  }

  /** Somebody who is followed, by their handle; null where those are not this fill's own. */
  #followed(chance: Chance): { id: string; handle: string } | null {
    const { seed, run, users } = this.#request;
    if (users === 0) return null;
    const index = this.#popularity.draw(chance);
    const first = new Chance(seed, run, STREAM.user, index, 1).pick(FIRST_NAMES);
    return { id: this.#userId(index), handle: this.#handleOf(first, index) };
  }

  #hashtag(chance: Chance): string {
    const index = this.#hashtags.draw(chance);
    const [beginning, end] = [index % HASHTAG_BEGINNINGS.length, Math.floor(index / HASHTAG_BEGINNINGS.length)];
    const word = `${HASHTAG_BEGINNINGS[beginning]!}${HASHTAG_ENDS[end % HASHTAG_ENDS.length]!}`;
    const series = Math.floor(end / HASHTAG_ENDS.length);
    return series === 0 ? word : `${word}${series + 1}`;
  }

  #follows(batch: number): Batch {
    const { seed, run, follows, now } = this.#request;
    const { size } = this.#authors;
    const chance = new Chance(seed, run, STREAM.follows, batch);
    const [rows, mutes]: [TableRows['rows'], TableRows['rows']] = [[], []];
    const mean = follows / size;
    const end = Math.min((batch + 1) * this.#followers, size);
    for (let i = batch * this.#followers; i < end; i++) {
      // Heavy-tailed too: the square of an exponential wait has a long tail, and half its mean is 1.
      const wanted = Math.min(Math.round((mean * chance.wait(1) ** 2) / 2), size - 1, Math.ceil(mean * 60), 10_000);
      const chosen = new Set<number>();
      // Popular people are drawn again and again: past some tries it is enough.
      for (let tries = wanted * 4 + 8; chosen.size < wanted && tries > 0; tries--) {
        const followee = this.#popularity.draw(chance);
        if (followee !== i) chosen.add(followee);
      }
      const own = this.#userCreatedAt(i);
      const [first] = chosen;
      // Somebody whom one follows and does not read: the one case that a feed has to tell apart.
      if (first !== undefined && i % ONE_MUTES_IN === 0)
        mutes.push([this.#authors.idAt(i), this.#authors.idAt(first), Math.max(own, this.#userCreatedAt(first))]);
      for (const followee of chosen) {
        const since = Math.max(own, this.#userCreatedAt(followee));
        rows.push([
          this.#authors.idAt(i),
          this.#authors.idAt(followee),
          since + Math.floor(chance.float() * (now - since)),
        ]);
      }
    }
    return [
      { table: 'follows', rows },
      { table: 'mutes', rows: mutes },
    ];
  }

  #posts(batch: number): Batch {
    const { seed, run, posts: total, comments: wanted, days, now } = this.#request;
    const chance = new Chance(seed, run, STREAM.posts, batch);
    const count = Math.min(POSTS_A_BATCH, total - batch * POSTS_A_BATCH);
    const mean = wanted / total;
    const meanReactions = this.#request.reactions / total;
    const instants = Array.from({ length: count }, () => drawInstant(chance, now, days)).sort((a, b) => a - b);
    const posts: TableRows['rows'] = [];
    const comments: TableRows['rows'] = [];
    const [reactions, commentReactions]: [TableRows['rows'], TableRows['rows']] = [[], []];
    for (const createdAt of instants) {
      const topic = chance.pick(TOPICS);
      const drawn = uuidv7({ msecs: createdAt, random: chance.bytes() });
      const author = this.#activity.draw(chance);
      const id = inBucketOf(drawn, this.#authors.idAt(author));
      const said = this.#say(chance, chance.pick(POSTS[topic]));
      const body = chance.int(1, ONE_HASHTAG_IN) === 1 ? `${said} #${this.#hashtag(chance)}` : said;
      posts.push([id, this.#authors.idAt(author), body, createdAt, spansOf(body, null)]);
      const thread: (ThreadPlace & { id: string; at: number })[] = [];
      // Most posts are answered little, a few a great deal.
      const answers = Math.min(Math.floor((mean * chance.wait(1) ** 2) / 2 + chance.float()), MOST_ON_A_POST);
      for (let n = 0; n < answers; n++) {
        const at = Math.floor(createdAt + 30_000 + chance.wait(5 * HOUR));
        if (at >= now) continue;
        const named = chance.int(1, ONE_MENTION_IN) === 1 ? this.#followed(chance) : null;
        const plain = this.#say(chance, chance.pick(COMMENTS[topic]));
        const answer = named ? `@${named.handle} ${plain}` : plain;
        const comment = inBucketOf(uuidv7({ msecs: at, random: chance.bytes() }), id);
        const earlier = thread.length > 0 && chance.int(1, ONE_REPLY_IN) === 1 ? chance.pick(thread) : null;
        const answered = earlier && earlier.at < at ? earlier : null;
        const place = placeUnder(answered, this.#deepest);
        thread.push({ id: comment, at, ...place });
        const writer = this.#authors.idAt(this.#activity.draw(chance));
        const { underId, depth } = place;
        comments.push([comment, id, writer, answer, at, spansOf(answer, named), answered?.id ?? null, underId, depth]);
        if (this.#request.kinds.length > 0 && comments.length % ONE_ANSWER_IN === 0)
          commentReactions.push([comment, this.#authors.idAt(this.#activity.draw(chance)), this.#kind(chance), at + 1]);
      }
      reactions.push(...this.#reactions(chance, id, createdAt, meanReactions));
    }
    return [
      { table: 'posts', rows: posts },
      { table: 'comments', rows: comments },
      { table: 'reactions', rows: reactions },
      { table: 'comment_reactions', rows: commentReactions },
    ];
  }

  /** Reactions to a post: heavy-tailed too, soon after it was made. */
  #reactions(chance: Chance, postId: string, createdAt: number, mean: number): TableRows['rows'] {
    const { now, kinds } = this.#request;
    if (mean === 0 || kinds.length === 0) return [];
    const wanted = Math.min(Math.floor((mean * chance.wait(1) ** 2) / 2 + chance.float()), MOST_ON_A_POST);
    const people = new Set<number>();
    for (let tries = wanted * 2; people.size < wanted && tries > 0; tries--) people.add(this.#activity.draw(chance));
    return [...people].flatMap((person) => {
      const at = Math.floor(createdAt + 5_000 + chance.wait(6 * HOUR));
      return at < now ? [[postId, this.#authors.idAt(person), this.#kind(chance), at]] : [];
    });
  }

  #kind(chance: Chance): string {
    const { kinds } = this.#request;
    let i = 0;
    while (i < kinds.length - 1 && chance.float() > USUAL) i++;
    return kinds[i]!;
  }

  #say(chance: Chance, phrase: string): string {
    return phrase.replace(/\{(\w+)\}/g, (_, slot: string) => {
      if (slot === 'n') return String(chance.int(3, 28));
      if (slot === 'who') return chance.pick(FIRST_NAMES).toLowerCase();
      return chance.pick(SLOTS[slot as keyof typeof SLOTS]);
    });
  }
}

/** What a text names, as it is stored: nobody but who is meant. */
function spansOf(body: string, named: { readonly id: string; readonly handle: string } | null): string {
  const found = readText(body);
  const users = new Map(handlesIn(found).flatMap((handle) => (handle === named?.handle ? [[handle, named.id]] : [])));
  return JSON.stringify(storeSpans(found, users));
}
