import {
  explainPlace,
  peopleOf,
  sayToPass,
  toPass,
  type People,
  type Source,
  type WeightingInForce,
} from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import { Problem } from '../ground/http/problem.js';
import { toCounts } from '../ranking/tallies/counts.js';
import { nextAbove, PLACE_FACTS, type AboveRow, type PlaceRow } from './place-queries.js';
import type { PlaceReply, PlaceView } from './schema.js';

interface Absence {
  readonly reason: NonNullable<PlaceReply['reason']>;
  readonly why: string;
  /** What it would take to be in the feed. */
  readonly remedy: string;
}

/** Why posts stand where they stand, or why they are not there. */
export class Places {
  readonly #dataSource: DataSource;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /**
   * Why a post stands where it stands in a viewer's feed, and what would carry it past the one above; or why it is not
   * there, and what it would take.
   * @param seesHidden the operator is told what hides a post; a user only that it is not there
   * @throws Problem `not-found`
   */
  async of(viewerId: string, postId: string, weighting: WeightingInForce, seesHidden: boolean): Promise<PlaceReply> {
    const [row] = await this.#dataSource.query<PlaceRow[]>(PLACE_FACTS, [viewerId, postId]);
    if (!row || ((row.deleted_at || !row.seen) && !seesHidden))
      throw new Problem('not-found', 'There is no such post, or it was deleted.');
    const own = row.author_id === viewerId;
    const absence = absenceOf(row, own);
    if (absence) {
      const { reason, why, remedy } = absence;
      const sentence = `Not in the feed: ${why}. ${remedy}`;
      return { postId, inFeed: false, reason, remedy, place: null, above: null, sentence };
    }
    const people = peopleOf(toCounts(row));
    const place = explain(row.created_at, row.handle, own ? null : row.since, people, weighting);
    const above = await this.#above(viewerId, postId, place, row.created_at, people, weighting);
    return { postId, inFeed: true, reason: null, remedy: null, place, above, sentence: place.sentence };
  }

  async #above(
    viewerId: string,
    postId: string,
    place: PlaceView,
    createdAt: Date,
    people: People,
    weighting: WeightingInForce,
  ): Promise<PlaceReply['above']> {
    const parameters = [viewerId, true, place.laneTime, postId];
    const [row] = await this.#dataSource.query<AboveRow[]>(nextAbove(weighting.id), parameters);
    if (!row) return null;
    const ways = toPass(createdAt.getTime(), weighting, people, row.lane_time.getTime());
    return {
      postId: row.id,
      handle: row.handle,
      laneTime: row.lane_time.toISOString(),
      toPass: ways,
      sentence: `To pass the post above it, by @${row.handle}, it would take ${sayToPass(ways)}.`,
    };
  }
}

/** Why a post is not in somebody's feed, or null when it is. */
function absenceOf(row: PlaceRow, own: boolean): Absence | null {
  const author = `its author, @${row.handle},`;
  if (row.deleted_at)
    return row.removal === 'withheld'
      ? { reason: 'withheld', why: 'a moderator withholds the post', remedy: 'A moderator can restore it.' }
      : { reason: 'deleted', why: 'the post was deleted', remedy: 'Who deleted it can restore it for 30 days.' };
  if (!row.seen)
    return {
      reason: 'hidden',
      why: `${author} is not there for this user`,
      remedy: 'It takes the author to lift their block.',
    };
  if (own) return null;
  if (row.blocked)
    return {
      reason: 'blocked',
      why: `${author} is blocked`,
      remedy: `It takes lifting the block and following @${row.handle}.`,
    };
  if (row.muted)
    return { reason: 'muted', why: `${author} is muted`, remedy: `It takes lifting the mute on @${row.handle}.` };
  return row.since
    ? null
    : { reason: 'not-followed', why: `${author} is not followed`, remedy: `It takes following @${row.handle}.` };
}

/** The account of a post's place. @param since since when its author is followed; null for one's own post */
export function explain(
  createdAt: Date,
  handle: string,
  since: Date | null,
  people: People,
  weighting: WeightingInForce,
): PlaceView {
  const source: Source = since ? { own: false, handle, since: since.getTime() } : { own: true };
  const { laneTime, lift, parts, sentence } = explainPlace(createdAt.getTime(), weighting, people, source);
  return {
    own: source.own,
    follows: source.own ? null : { handle, since: new Date(source.since).toISOString() },
    createdAt: createdAt.toISOString(),
    laneTime: new Date(laneTime).toISOString(),
    lift,
    halfLifeMs: weighting.halfLifeMs,
    weighting: weighting.id,
    parts,
    sentence,
  };
}
