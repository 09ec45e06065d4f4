import type { Telling } from '@gather-lane/core';
import type { Querying } from '../../ground/database/hot-transaction.js';
import { prepared } from '../../ground/database/prepared.js';

/** Lets nobody be told of anything until the transaction ends; to be taken once its counts are held. */
export const HOLD_ALL_TELLING = `SELECT hold_telling(true)`;

const TELL = prepared(`SELECT tell($1::uuid[], $2::uuid[], $3::uuid[], $4::text[], $5::uuid[], $6::uuid[])`);

/**
 * Tells people of acts, in the transaction of the act: those of them who are to hear of it, each once, and never again. Every hold on counts is
 * taken before. Cost: one statement, that of the function `tell`.
 */
export async function tell(manager: Querying, tellings: readonly Telling[]): Promise<void> {
  const others = tellings.filter(({ actorId, userId }) => actorId !== userId);
  if (others.length === 0) return;
  await manager.query(TELL, [
    others.map(({ thingId }) => thingId),
    others.map(({ actorId }) => actorId),
    others.map(({ userId }) => userId),
    others.map(({ kind }) => kind),
    others.map(({ targetId }) => targetId),
    others.map(({ postId }) => postId),
  ]);
}
