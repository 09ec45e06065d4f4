import type { DataSource } from 'typeorm';
import { inHotTransaction, type Querying } from '../../ground/database/hot-transaction.js';
import { Problem } from '../../ground/http/problem.js';
import { mayBeOnes, SharedActs } from '../../ground/traces/shared-acts.js';
import { tell } from '../../notifications/telling/tell.js';
import { LOCK_USER_TALLIES } from '../../ranking/tallies/locks.js';
import { BETWEEN, FOLLOW, UNFOLLOW, type BetweenRow, type FollowedRow } from './queries.js';

/** What somebody wants to be so between them and another. */
export interface FollowAct {
  readonly followerId: string;
  readonly followeeId: string;
  readonly follows: boolean;
}

/** What is so since; nothing where they do not follow. */
export interface Followed {
  readonly since: Date | null;
  readonly changed: boolean;
}

type Outcome = Followed | { readonly refused: Problem };

const MOST_AT_ONCE = 200;

/** Makes and ends follows. Those that come at the same time are written in one transaction; of one pair, in the order in which they came. */
export class Following {
  readonly #dataSource: DataSource;
  readonly #most: number;
  readonly #acts: SharedActs<FollowAct, Outcome>;

  /** @param most how many anybody may follow */
  constructor(dataSource: DataSource, most: number) {
    this.#dataSource = dataSource;
    this.#most = most;
    this.#acts = new SharedActs<FollowAct, Outcome>('follows', {
      keyOf: ({ followerId, followeeId }) => `${followerId} ${followeeId}`,
      work: (acts) => inHotTransaction(this.#dataSource, (manager) => this.#write(manager, acts)),
      most: MOST_AT_ONCE,
      mayBeOnes,
    });
  }

  /** Does an act, answered once it is committed. @throws Problem `blocked`, `too-many-follows`, `not-found` */
  async do(act: FollowAct): Promise<Followed> {
    const outcome = await this.#acts.do(act);
    if ('refused' in outcome) throw outcome.refused;
    return outcome;
  }

  async #write(manager: Querying, acts: readonly FollowAct[]): Promise<Outcome[]> {
    const [followers, followees] = [acts.map((act) => act.followerId), acts.map((act) => act.followeeId)];
    const people = [...new Set([...followers, ...followees])];
    const tallies = await manager.query<{ user_id: string; following: number }[]>(LOCK_USER_TALLIES, [people]);
    // Seen under the lock that a block takes too: the two never both stand.
    const between = await manager.query<BetweenRow[]>(BETWEEN, [followers, followees]);
    const following = new Map(tallies.map((tally) => [tally.user_id, tally.following]));
    const outcomes = acts.map((act, i) => this.#decide(act, between[i]!, following));
    const make = acts.filter((act, i) => act.follows && isChange(outcomes[i]!));
    const end = acts.filter((act, i) => !act.follows && isChange(outcomes[i]!));
    if (end.length > 0) await manager.query(UNFOLLOW, [end.map((a) => a.followerId), end.map((a) => a.followeeId)]);
    if (make.length === 0) return outcomes;
    const made = await manager.query<FollowedRow[]>(FOLLOW, [
      make.map((act) => act.followerId),
      make.map((act) => act.followeeId),
    ]);
    const since = new Map(made.map((row) => [`${row.follower_id} ${row.followee_id}`, row.created_at]));
    await tell(
      manager,
      make.map(({ followerId: actorId, followeeId: userId }) => {
        return { thingId: userId, actorId, userId, targetId: userId, kind: 'followed', postId: null };
      }),
    );
    return acts.map((act, i) => {
      const at = since.get(`${act.followerId} ${act.followeeId}`);
      return at ? { since: at, changed: true } : outcomes[i]!;
    });
  }

  /** What comes of an act. @param following how many each follows, with what was decided before in the same batch */
  #decide(act: FollowAct, { blocked, since }: BetweenRow, following: Map<string, number>): Outcome {
    const count = following.get(act.followerId);
    if (!act.follows) {
      if (count !== undefined && since) following.set(act.followerId, count - 1);
      return { since: null, changed: since !== null };
    }
    if (count === undefined || !following.has(act.followeeId))
      return { refused: new Problem('not-found', 'There is no such user.') };
    if (blocked) return { refused: new Problem('blocked', 'You block this user: lift the block first.') };
    if (since) return { since, changed: false };
    if (count >= this.#most)
      return {
        refused: new Problem(
          'too-many-follows',
          `You follow ${count} users; the limit is ${this.#most}. Unfollow somebody first.`,
        ),
      };
    following.set(act.followerId, count + 1);
    return { since: null, changed: true };
  }
}

const isChange = (outcome: Outcome): boolean => 'changed' in outcome && outcome.changed;
