import type { Querying } from '../../ground/database/hot-transaction.js';

/** How a caller and another user stand to each other. */
export interface Relation {
  readonly youFollow: boolean;
  readonly followsYou: boolean;
  readonly muted: boolean;
  readonly blocked: boolean;
}

/** Cost: two probes of the follows key and one each of mutes and blocks for each user. Both halves of the pair are always in the condition. */
const RELATIONS = `
  SELECT i.id,
         EXISTS (SELECT FROM follows WHERE follower_id = $1 AND followee_id = i.id) AS you_follow,
         EXISTS (SELECT FROM follows WHERE follower_id = i.id AND followee_id = $1) AS follows_you,
         EXISTS (SELECT FROM mutes WHERE muter_id = $1 AND muted_id = i.id) AS muted,
         EXISTS (SELECT FROM blocks WHERE blocker_id = $1 AND blocked_id = i.id) AS blocked
  FROM unnest($2::uuid[]) AS i (id)`;

/** The relation of one user to each of others, by their ids. */
export async function relationsOf(at: Querying, me: string, ids: string[]): Promise<Map<string, Relation>> {
  const rows = await at.query<
    { id: string; you_follow: boolean; follows_you: boolean; muted: boolean; blocked: boolean }[]
  >(RELATIONS, [me, ids]);
  return new Map(
    rows.map(({ id, you_follow, follows_you, muted, blocked }) => [
      id,
      { youFollow: you_follow, followsYou: follows_you, muted, blocked },
    ]),
  );
}
