import type { DataSource } from 'typeorm';
import type { UserView } from '../../accounts/users/schema.js';
import type { Users } from '../../accounts/users/service.js';
import { notKeptAway, seenBy } from '../../accounts/users/visibility.js';

/** Posts of the last days make somebody lively. */
const LIVELY_DAYS = 14;
/** So many of the latest follows are looked at, of the caller and of each whom they follow. */
const LATEST = 200;

/** Whom to leave out: oneself, whom one follows already, mutes, blocks, or who is not there for one. */
const WELCOME = `u.id <> $1 AND NOT EXISTS (SELECT FROM follows WHERE follower_id = $1 AND followee_id = u.id)
    AND ${seenBy('u', '$1')} AND ${notKeptAway('u', '$1')}`;

/**
 * People followed by those whom a user ($1) follows, and lively lately: by how many of those, then whose posts drew most, then who posted last. Looks at
 * the latest follows only, so that it costs no more for who follows thousands: at most ${LATEST} ranges of ${LATEST} entries of
 * follows_following, and a range of posts_author_recent for each of the hundred nearest.
 */
const NEAR = `
  WITH mine AS MATERIALIZED (
    SELECT f.followee_id AS id FROM follows f
    WHERE f.follower_id = $1 AND (f.followee_id IN (SELECT muted_id FROM mutes WHERE muter_id = $1)) IS NOT TRUE
    ORDER BY f.created_at DESC, f.followee_id DESC LIMIT ${LATEST}
  ), known AS MATERIALIZED (
    SELECT f.followee_id AS id, count(*)::integer AS followed_by, (array_agg(f.follower_id ORDER BY f.created_at DESC))[1:3] AS followers
    FROM mine m CROSS JOIN LATERAL (
      SELECT followee_id, follower_id, created_at FROM follows
      WHERE follower_id = m.id ORDER BY created_at DESC, followee_id DESC LIMIT ${LATEST}) f
    GROUP BY f.followee_id
  ), nearest AS MATERIALIZED (
    SELECT k.* FROM known k JOIN users u ON u.id = k.id WHERE ${WELCOME} ORDER BY k.followed_by DESC, k.id LIMIT 100
  )
  SELECT n.id, n.followed_by, l.posts,
    (SELECT array_agg(h.handle) FROM unnest(n.followers) AS i (id) JOIN users h ON h.id = i.id) AS handles
  FROM nearest n
  CROSS JOIN LATERAL (
    SELECT count(*)::integer AS posts, max(p.created_at) AS latest FROM (
      SELECT created_at FROM posts WHERE author_id = n.id AND deleted_at IS NULL AND created_at > clock_timestamp() - interval '${LIVELY_DAYS} days'
      ORDER BY created_at DESC LIMIT 50) p) l
  WHERE l.posts > 0
  ORDER BY n.followed_by DESC, coalesce((SELECT d.draw FROM author_draws d WHERE d.user_id = n.id), 0) DESC, l.latest DESC, n.id LIMIT $2`;

/** The lively ones of everybody: of the authors of the latest posts, whose drew most, then whom most follow. Cost: the newest 2,000 posts. */
const LIVELY = `
  WITH lately AS MATERIALIZED (
    SELECT author_id, count(*)::integer AS posts FROM (
      SELECT author_id FROM posts WHERE deleted_at IS NULL AND created_at > clock_timestamp() - interval '${LIVELY_DAYS} days'
      ORDER BY created_at DESC, id DESC LIMIT 2000) p GROUP BY author_id
  )
  SELECT u.id, 0 AS followed_by, l.posts, NULL::text[] AS handles
  FROM lately l JOIN users u ON u.id = l.author_id JOIN user_tallies t ON t.user_id = u.id
  WHERE ${WELCOME}
  ORDER BY coalesce((SELECT d.draw FROM author_draws d WHERE d.user_id = u.id), 0) DESC, t.followers DESC, l.posts DESC, u.id LIMIT $2`;

interface NearRow {
  readonly id: string;
  readonly followed_by: number;
  readonly posts: number;
  readonly handles: string[] | null;
}

/** Somebody to follow, and why. */
export interface NearView {
  readonly user: UserView;
  /** Handles of some whom the caller follows and who follow this user, and how many there are. */
  readonly followedBy: { readonly handles: string[]; readonly count: number };
  readonly postsLately: number;
  readonly sentence: string;
}

/** Whom one might follow next. */
export class NearFollows {
  readonly #dataSource: DataSource;
  readonly #users: Users;

  constructor(dataSource: DataSource, users: Users) {
    this.#dataSource = dataSource;
    this.#users = users;
  }

  /** People near those whom a user follows; the lively ones of all where nobody is. */
  async of(userId: string, moderator: boolean, limit: number): Promise<NearView[]> {
    const near = await this.#dataSource.query<NearRow[]>(NEAR, [userId, limit]);
    const rows = near.length > 0 ? near : await this.#dataSource.query<NearRow[]>(LIVELY, [userId, limit]);
    const users = await this.#users.viewAll(
      rows.map(({ id }) => id),
      { kind: 'user', id: userId, moderator },
    );
    const byId = new Map(users.map((user) => [user.id, user]));
    return rows.flatMap(({ id, followed_by: count, posts, handles }) => {
      const user = byId.get(id);
      const some = handles ?? [];
      return user
        ? [{ user, followedBy: { handles: some, count }, postsLately: posts, sentence: say(some, count, posts) }]
        : [];
    });
  }
}

function say(handles: string[], count: number, posts: number): string {
  const lately = `${posts >= 50 ? 'Fifty or more posts' : posts === 1 ? '1 post' : `${posts} posts`} in the last ${LIVELY_DAYS} days`;
  if (count === 0) return `${lately}.`;
  const shown = handles.slice(0, count > 3 ? 2 : 3).map((handle) => `@${handle}`);
  const others = count - shown.length;
  const all = others > 0 ? [...shown, `${others} others`] : shown;
  const names = [all.slice(0, -1).join(', '), all.at(-1)].filter(Boolean).join(' and ');
  return `Followed by ${names}, whom you follow. ${lately}.`;
}
