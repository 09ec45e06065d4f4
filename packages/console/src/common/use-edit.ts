import { ServiceProblem } from '@gather-lane/client';
import { useState } from 'react';

/** An edit under way: the thing as it was when it began, and as somebody else left it meanwhile, once that is known. */
export interface Edit<T> {
  readonly base: T;
  readonly newest: T | null;
}

/**
 * An edit that keeps what it began from, whatever lists fetch meanwhile: nobody's change is undone unseen.
 * @param read fetches the thing as it is now
 * @param begun the thing, where the edit begins at once
 */
export function useEdit<T extends { readonly version: number }>(read: () => Promise<T>, begun?: T) {
  const [edit, setEdit] = useState<Edit<T> | null>(begun ? { base: begun, newest: null } : null);
  return {
    edit,
    begin: (base: T) => setEdit({ base, newest: null }),
    end: () => setEdit(null),
    /** Sends the edit on top of what was seen last; when somebody was faster, what they made of it is fetched to be shown. */
    save: async (send: (ifMatch: { 'if-match': string }, base: T) => Promise<unknown>): Promise<void> => {
      const { base, newest } = edit!;
      try {
        await send({ 'if-match': `"${(newest ?? base).version}"` }, base);
      } catch (error) {
        if (error instanceof ServiceProblem && error.code === 'stale') setEdit({ base, newest: await read() });
        throw error;
      }
      if (!begun) setEdit(null);
    },
  };
}
