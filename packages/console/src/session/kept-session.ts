import type { Session } from '@gather-lane/client';

/** Who the console acts as. The session itself is in a cookie that no script can read; this is only who it is. */
export interface KeptSession {
  readonly id: string;
  readonly handle: string;
  readonly name: string;
}

const KEY = 'gather-lane-acting-as';
const CHANGED = 'gather-lane-acting-as-changed';
let cached: { text: string | null; session: KeptSession | null } = { text: null, session: null };

/** Who this browser acts as, or null; the same object until it changes. */
export function readSession(): KeptSession | null {
  const text = localStorage.getItem(KEY);
  if (text !== cached.text) cached = { text, session: text ? (JSON.parse(text) as KeptSession) : null };
  return cached.session;
}

/** Keeps who the browser acts as, or forgets it. */
export function writeSession(session: KeptSession | null): void {
  if (session) localStorage.setItem(KEY, JSON.stringify(session));
  else localStorage.removeItem(KEY);
  window.dispatchEvent(new Event(CHANGED));
}

/** Calls the listener whenever that changes, in another tab too; returns what ends it. */
export function onSessionChange(listener: () => void): () => void {
  window.addEventListener(CHANGED, listener);
  window.addEventListener('storage', listener);
  return () => {
    window.removeEventListener(CHANGED, listener);
    window.removeEventListener('storage', listener);
  };
}

/** What is kept of a session. */
export const toKept = ({ user: { id, handle, name } }: Session): KeptSession => ({ id, handle, name });
