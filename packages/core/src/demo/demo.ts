import { v7 as uuidv7 } from 'uuid';
import { inBucketOf } from '../buckets/bucket.js';
import { BIOS, PEOPLE, type Person } from './people.js';
import { COMMENTS, POSTS, REPLIES, SLOTS, TOPICS_OF, type Topic } from './phrases.js';
import { DemoRandom } from './random.js';

/** Rows of the demo, oldest first in each list; instants in milliseconds since the epoch. */
export interface Demo {
  readonly users: { id: string; handle: string; name: string; bio: string; moderator: boolean; createdAt: number }[];
  readonly follows: { followerId: string; followeeId: string; createdAt: number }[];
  readonly mutes: { fromId: string; toId: string; createdAt: number }[];
  readonly blocks: { fromId: string; toId: string; createdAt: number }[];
  readonly posts: { id: string; authorId: string; body: string; createdAt: number }[];
  readonly comments: {
    id: string;
    postId: string;
    parentId: string | null;
    authorId: string;
    body: string;
    createdAt: number;
  }[];
  readonly reactions: { postId: string; userId: string; kind: string; createdAt: number }[];
  readonly commentReactions: { commentId: string; userId: string; kind: string; createdAt: number }[];
}

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const DAYS = 30;
const POST_COUNT = 900;
const ODILE_FOLLOWS = 24;
const MAIN = ['odile', 'bram', 'wren'];
/** Kinds of reaction, unless others are configured. */
const DEMO_KINDS = ['like', 'dislike'];
/** The lock keeper keeps order in what is posted too. */
const MODERATOR = 'bram';
/** Share of a day's posts in each hour from midnight: early risers, and a second peak at dusk. */
const HOURS = [1, 0, 0, 0, 1, 3, 7, 9, 8, 6, 5, 5, 6, 5, 4, 4, 6, 8, 9, 8, 6, 4, 3, 2];

/**
 * The Wherry Cut: sixty people, their follows, 900 posts of thirty days and the
 * conversation below them. The same seed makes the same rows every time; only the
 * instants (and so the beginnings of the ids) are laid back from `now`.
 * @param kinds the kinds of reaction that there are, the most usual first
 */
export function makeDemo(now: number, kinds: readonly string[] = DEMO_KINDS, seed = 1702): Demo {
  return new DemoMaker(now, kinds, seed).make();
}

type Member = Person & { id: string; createdAt: number; follows: Set<number>; popularity: number };

/**
 * Everything is made as though it were this instant, a Saturday at six in the evening, and then moved to
 * the real one: so nothing that is made depends on when it is made.
 */
const NOMINAL_NOW = Date.UTC(2024, 5, 1, 18);

class DemoMaker {
  readonly #random: DemoRandom;
  readonly #now = NOMINAL_NOW;
  readonly #shift: number;

  readonly #kinds: readonly string[];

  constructor(now: number, kinds: readonly string[], seed: number) {
    this.#kinds = kinds;
    this.#random = new DemoRandom(seed);
    this.#shift = now - NOMINAL_NOW;
  }

  make(): Demo {
    const members = this.#members();
    const users = members.map(({ id, handle, name, role, createdAt }) => ({
      id,
      handle,
      name,
      bio: this.#fill(this.#pick(BIOS[role]), handle),
      moderator: handle === MODERATOR,
      createdAt,
    }));
    const follows = this.#follows(members);
    const { posts, topics } = this.#posts(members);
    const comments = this.#comments(members, posts, topics);
    return {
      users: this.#moved(users),
      follows: this.#moved(follows),
      ...this.#keptApart(members),
      posts: this.#moved(posts),
      comments: this.#moved(comments),
      reactions: this.#moved(this.#reactions(members, posts)),
      commentReactions: this.#moved(this.#commentReactions(members, comments)),
    };
  }

  /** Two who do not get on, and two who would rather not read somebody whom they follow. */
  #keptApart(members: Member[]): Pick<Demo, 'mutes' | 'blocks'> {
    const apart = members.filter(({ handle }) => !MAIN.includes(handle));
    const mutes = apart
      .filter(({ follows }) => follows.size > 3)
      .slice(0, 2)
      .map((member) => ({
        fromId: member.id,
        toId: members[[...member.follows].at(-1)!]!.id,
        createdAt: this.#now - 2 * DAY,
      }));
    const indexOf = (member: Member) => members.indexOf(member);
    const strangers = (a: Member, b: Member) => !a.follows.has(indexOf(b)) && !b.follows.has(indexOf(a));
    const [blocker] = apart.slice(-1);
    const blocked = apart.find((member) => member !== blocker && strangers(member, blocker!));
    const blocks = blocked ? [{ fromId: blocker!.id, toId: blocked.id, createdAt: this.#now - 5 * DAY }] : [];
    return { mutes: this.#moved(mutes), blocks: this.#moved(blocks) };
  }

  #moved<T extends { createdAt: number }>(rows: T[]): T[] {
    return rows.map((row) => ({ ...row, createdAt: row.createdAt + this.#shift }));
  }

  #members(): Member[] {
    return PEOPLE.map((person, i) => {
      const createdAt =
        person.handle === 'wren'
          ? this.#now - 20 * 60_000
          : this.#now - Math.round((DAYS + 2 + this.#float() * 340) * DAY);
      const known = { bram: 3, heron_count: 1.6, floating_market: 1.5, sallow_yard: 1.3, odile: 1 }[person.handle];
      // Popularity falls off as a power of a shuffled rank: a few are widely followed.
      const popularity = known ?? Math.pow(1 + ((i * 37) % PEOPLE.length), -0.7);
      return { ...person, id: this.#id(createdAt), createdAt, follows: new Set<number>(), popularity };
    });
  }

  #follows(members: Member[]): Demo['follows'] {
    const rows: Demo['follows'] = [];
    members.forEach((follower, i) => {
      const wanted = follower.handle === 'odile' ? ODILE_FOLLOWS : follower.handle === 'wren' ? 0 : this.#int(5, 22);
      const others = members.map((member, j) => ({
        weight: (member.popularity + 0.05) * (member.role === follower.role ? 2 : 1),
        value: j,
      }));
      const choice = others.filter(({ value }) => value !== i && members[value]!.handle !== 'wren');
      while (follower.follows.size < wanted) follower.follows.add(this.#random.weighted(choice));
      for (const j of follower.follows) {
        const followee = members[j]!;
        const since = Math.max(follower.createdAt, followee.createdAt);
        const createdAt = since + Math.round(this.#float() * (this.#now - DAY - since));
        rows.push({ followerId: follower.id, followeeId: followee.id, createdAt });
      }
    });
    return rows.sort((a, b) => a.createdAt - b.createdAt);
  }

  #posts(members: Member[]): { posts: Demo['posts']; topics: Topic[] } {
    const writers = members
      .filter(({ handle }) => handle !== 'wren')
      .map((value) => ({ value, weight: 0.15 + Math.sqrt(value.popularity) }));
    const hours = HOURS.map((weight, value) => ({ value, weight: weight + 0.01 }));
    const lately = new Map<string, string[]>();
    const drafts = Array.from({ length: POST_COUNT }, () => {
      const author = this.#random.weighted(writers);
      const midnight = Math.floor(this.#now / DAY) * DAY - this.#int(0, DAYS - 1) * DAY;
      const hour = this.#random.weighted(hours);
      let createdAt = midnight + hour * HOUR + Math.floor(this.#float() * HOUR);
      if (createdAt > this.#now - 60_000) createdAt -= DAYS * DAY;
      return { author, createdAt };
    }).sort((a, b) => a.createdAt - b.createdAt);
    const topics: Topic[] = [];
    const posts = drafts.map(({ author, createdAt }) => {
      const topic = this.#pick(TOPICS_OF[author.role]);
      // Nobody repeats one of their last few phrases.
      const said = lately.get(author.handle) ?? [];
      const fresh = POSTS[topic].filter((phrase) => !said.includes(phrase));
      const phrase = this.#pick(fresh.length > 0 ? fresh : POSTS[topic]);
      lately.set(author.handle, [phrase, ...said].slice(0, 6));
      topics.push(topic);
      return {
        id: inBucketOf(this.#id(createdAt), author.id),
        authorId: author.id,
        body: this.#fill(phrase, author.handle),
        createdAt,
      };
    });
    return { posts, topics };
  }

  #comments(members: Member[], posts: Demo['posts'], topics: Topic[]): Demo['comments'] {
    const byId = new Map(members.map((member, index) => [member.id, { member, index }]));
    const rows: Demo['comments'] = [];
    posts.forEach((post, p) => {
      const author = byId.get(post.authorId)!;
      const readers = members.filter((member) => member.follows.has(author.index));
      if (readers.length === 0) return;
      // Heavy-tailed: most posts are answered little, a few a great deal.
      const burst = Math.pow(this.#float(), 3) * 9 * Math.sqrt(author.member.popularity + 0.1);
      const thread: Demo['comments'] = [];
      const said = new Set<string>();
      for (let n = Math.round(burst + this.#float()); n > 0; n--) {
        const delay = -Math.log(1 - this.#float()) * 4 * HOUR + 90_000;
        const createdAt = Math.round(post.createdAt + delay);
        if (createdAt >= this.#now) continue;
        const answersBack = thread.length > 0 && this.#float() < 0.25;
        const writer = answersBack ? author.member : this.#pick(readers);
        const earlier = thread.filter((comment) => comment.createdAt < createdAt && comment.authorId !== writer.id);
        const parent = earlier.length > 0 && this.#float() < 0.4 ? this.#pick(earlier) : null;
        // Nobody says what was said in this conversation already, as long as there is something else to say.
        const phrases = parent ? REPLIES : COMMENTS[topics[p]!];
        const fresh = phrases.filter((phrase) => !said.has(phrase));
        const phrase = this.#pick(fresh.length > 0 ? fresh : phrases);
        said.add(phrase);
        const to = parent ? byId.get(parent.authorId)!.member.handle : '';
        thread.push({
          id: inBucketOf(this.#id(createdAt), post.id),
          postId: post.id,
          parentId: parent?.id ?? null,
          authorId: writer.id,
          body: this.#fill(phrase.replaceAll('{to}', to), writer.handle),
          createdAt,
        });
      }
      rows.push(...thread);
    });
    return rows.sort((a, b) => a.createdAt - b.createdAt);
  }

  /** Drawn after all else, so that other kinds of reaction change nothing else. */
  #reactions(members: Member[], posts: Demo['posts']): Demo['reactions'] {
    const indexes = new Map(members.map((member, index) => [member.id, index]));
    const rows: Demo['reactions'] = [];
    if (this.#kinds.length === 0) return rows;
    for (const post of posts) {
      const author = indexes.get(post.authorId)!;
      const readers = members.filter((member) => member.follows.has(author));
      // Most posts are liked by a few of those who read them, some by nearly all; now and then one divides people.
      const interest = Math.pow(this.#float(), 2) * 0.8;
      const divides = this.#float() < 0.08;
      for (const reader of [...readers, members[author]!]) {
        if (this.#float() > (reader === members[author] ? 0.04 : interest)) continue;
        const createdAt = Math.round(post.createdAt - Math.log(1 - this.#float()) * 5 * HOUR + 20_000);
        const kind = this.#float() < (divides ? 0.45 : 0.96) ? this.#kinds[0]! : this.#pick(this.#kinds);
        if (createdAt < this.#now) rows.push({ postId: post.id, userId: reader.id, kind, createdAt });
      }
    }
    return rows.sort((a, b) => a.createdAt - b.createdAt);
  }

  #commentReactions(members: Member[], comments: Demo['comments']): Demo['commentReactions'] {
    if (this.#kinds.length === 0) return [];
    return comments.flatMap((comment) => {
      const wanted = this.#float() < 0.3 ? this.#int(1, 4) : 0;
      const likers = this.#random.some(
        members.filter(({ id, handle }) => id !== comment.authorId && handle !== 'wren'),
        wanted,
      );
      const createdAt = Math.min(comment.createdAt + this.#int(30_000, HOUR), this.#now - 1_000);
      return likers.map(({ id }) => ({ commentId: comment.id, userId: id, kind: this.#kinds[0]!, createdAt }));
    });
  }

  #fill(phrase: string, writer: string): string {
    return phrase.replace(/\{(\w+)\}/g, (_, slot: string) => {
      if (slot === 'n') return String(this.#int(3, 28));
      if (slot === 'who') return this.#pick(PEOPLE.filter((p) => p.handle !== writer && p.handle !== 'wren')).handle;
      return this.#pick(SLOTS[slot as keyof typeof SLOTS]);
    });
  }

  #id(createdAt: number): string {
    const random = Uint8Array.from({ length: 16 }, () => this.#int(0, 255));
    return uuidv7({ msecs: createdAt + this.#shift, random });
  }

  #float(): number {
    return this.#random.float();
  }

  #int(min: number, max: number): number {
    return this.#random.int(min, max);
  }

  #pick<T>(from: readonly T[]): T {
    return this.#random.pick(from);
  }
}
