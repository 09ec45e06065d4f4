import type { Client, Post, User } from '@gather-lane/client';
import { unwrap } from './context.js';

/** What belongs to a user and can be shown with them. */
export type UserPart = 'posts' | 'follows' | 'followers';

interface Page<T> {
  readonly items: T[];
  readonly next: string | null;
}

/** A user with all of their posts, of those whom they follow, or of those who follow them. */
export async function userWith(
  client: Client,
  user: string,
  parts: UserPart[],
): Promise<User & Partial<Record<UserPart, (Post | User)[]>>> {
  const path = { user };
  const found = unwrap(await client.GET('/v1/users/{user}', { params: { path } }));
  const read: Record<UserPart, (query: { after?: string; limit: number }) => Promise<Page<Post | User>>> = {
    posts: async (query) => unwrap(await client.GET('/v1/users/{user}/posts', { params: { path, query } })),
    follows: async (query) => unwrap(await client.GET('/v1/users/{user}/following', { params: { path, query } })),
    followers: async (query) => unwrap(await client.GET('/v1/users/{user}/followers', { params: { path, query } })),
  };
  const lists: Partial<Record<UserPart, (Post | User)[]>> = {};
  for (const part of parts) lists[part] = await readAll(read[part]);
  return { ...found, ...lists };
}

async function readAll<T>(read: (query: { after?: string; limit: number }) => Promise<Page<T>>): Promise<T[]> {
  const items: T[] = [];
  let next: string | null = null;
  do {
    const page: Page<T> = await read({ limit: 100, ...(next && { after: next }) });
    items.push(...page.items);
    next = page.next;
  } while (next);
  return items;
}
