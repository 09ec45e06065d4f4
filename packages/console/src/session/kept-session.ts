import type { Session } from '@gather-lane/client';

/** Who the console acts as; kept for this tab alone. */
export interface KeptSession {
  readonly accessToken: string;
  readonly refreshToken: string | null;
  readonly user: { readonly id: string; readonly handle: string; readonly name: string };
}

const KEY = 'gather-lane-session';
const CHANGED = 'gather-lane-session-changed';
let cached: { text: string | null; session: KeptSession | null } = { text: null, session: null };

/** The session of this tab, or null; the same object until it changes. */
export function readSession(): KeptSession | null {
  const text = sessionStorage.getItem(KEY);
  if (text !== cached.text) cached = { text, session: text ? (JSON.parse(text) as KeptSession) : null };
  return cached.session;
}

/** Keeps a session for this tab, or forgets it. */
export function writeSession(session: KeptSession | null): void {
  if (session) sessionStorage.setItem(KEY, JSON.stringify(session));
  else sessionStorage.removeItem(KEY);
  window.dispatchEvent(new Event(CHANGED));
}

/** Calls the listener whenever the session changes; returns what ends that. */
export function onSessionChange(listener: () => void): () => void {
  window.addEventListener(CHANGED, listener);
  return () => window.removeEventListener(CHANGED, listener);
}

/** What is kept of a session. */
export const toKept = ({ accessToken, refreshToken, user }: Session): KeptSession => ({
  accessToken,
  refreshToken,
  user: { id: user.id, handle: user.handle, name: user.name },
});
