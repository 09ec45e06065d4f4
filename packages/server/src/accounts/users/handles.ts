import { foldHandle, handleFault } from '@gather-lane/core';
import type { EntityManager } from 'typeorm';
import { invalid, Problem } from '../../ground/http/problem.js';
import { COUNT_RESERVED, FREE_HANDLE, IS_RESERVED, LOCK_HANDLE, RESERVE_HANDLE } from './queries.js';

/** How long a handle that was given up is kept free. */
export const RESERVED_DAYS = 30;
/** So many handles one user may keep reserved: else one could take the good ones out of use one by one. */
const MOST_RESERVED = 3;

/** The problem of a handle that another has, or gave up lately. */
export const handleTaken = (handle: string): Problem =>
  new Problem('taken', `The handle @${handle} is taken: choose another.`, [{ pointer: '/handle', detail: 'is taken' }]);

/** Whether a handle is kept free of this user (null for a newcomer). */
export async function isReserved(manager: EntityManager, handle: string, userId: string | null): Promise<boolean> {
  return (await manager.query<unknown[]>(IS_RESERVED, [handle, userId])).length > 0;
}

/** Keeps a handle free for who gave it up; null keeps it from everybody. */
export async function reserveHandle(manager: EntityManager, handle: string, userId: string | null): Promise<void> {
  await manager.query(RESERVE_HANDLE, [handle, userId, RESERVED_DAYS]);
}

/**
 * Prepares a change of handle: the old one is reserved.
 * @returns the new handle, or null when it is the present one
 * @throws Problem `invalid` for one that cannot be, or when too many were given up lately
 */
export async function changeHandle(manager: EntityManager, userId: string, wanted: string): Promise<string | null> {
  const handle = foldHandle(wanted);
  const fault = handleFault(handle);
  if (fault) throw invalid('/handle', fault);
  const [user] = await manager.query<{ handle: string }[]>(LOCK_HANDLE, [userId]);
  if (!user || user.handle === handle) return null;
  const [reserved] = await manager.query<{ n: number }[]>(COUNT_RESERVED, [userId]);
  if (reserved!.n >= MOST_RESERVED)
    throw invalid('/handle', `was changed ${MOST_RESERVED} times within ${RESERVED_DAYS} days, which is the most`);
  if (!(await isReserved(manager, handle, userId))) await manager.query(FREE_HANDLE, [handle]);
  await reserveHandle(manager, user.handle, userId);
  return handle;
}
