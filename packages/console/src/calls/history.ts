import { useSyncExternalStore } from 'react';
import type { CallerChoice, Draft } from './draft';

/** A call that was made from here. */
export interface MadeHere {
  readonly n: number;
  readonly at: string;
  /** `POST /v1/posts` */
  readonly operation: string;
  readonly path: string;
  readonly caller: CallerChoice;
  readonly userId: string | null;
  readonly draft: Draft;
  readonly status: number | null;
  /** Without what only its caller should know. */
  readonly reply: unknown;
  readonly trace: string | null;
}

const KEY = 'gather-lane-calls';
const CHANGED = 'gather-lane-calls-changed';
const MOST = 60;
const LONGEST = 20_000;
let cached: { text: string | null; entries: readonly MadeHere[] } = { text: null, entries: [] };

function read(): readonly MadeHere[] {
  const text = localStorage.getItem(KEY);
  if (text === cached.text) return cached.entries;
  try {
    cached = { text, entries: text === null ? [] : (JSON.parse(text) as MadeHere[]) };
  } catch {
    cached = { text, entries: [] };
  }
  return cached.entries;
}

function write(entries: readonly MadeHere[]): void {
  try {
    localStorage.setItem(KEY, JSON.stringify(entries));
  } catch {
    // A browser that has no room, or lets nobody keep anything: the call was made all the same.
  }
  window.dispatchEvent(new Event(CHANGED));
}

/** The calls that were made from this browser, the latest first. */
export const useHistory = (): readonly MadeHere[] =>
  useSyncExternalStore((listener) => {
    window.addEventListener(CHANGED, listener);
    window.addEventListener('storage', listener);
    return () => {
      window.removeEventListener(CHANGED, listener);
      window.removeEventListener('storage', listener);
    };
  }, read);

/** Keeps a call that was made. */
export function remember(made: Omit<MadeHere, 'n' | 'at'>): void {
  const before = read();
  const draft = { ...made.draft, body: withoutSecrets(made.draft.body) };
  const reply = short(hidden(made.reply));
  write(
    [{ ...made, draft, reply, n: (before[0]?.n ?? 0) + 1, at: new Date().toISOString() }, ...before].slice(0, MOST),
  );
}

/** Forgets them all. */
export const forgetAll = (): void => write([]);

/** What nobody should find in a browser later. */
const SECRET = /password|token|secret|^key$/i;

function hidden(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(hidden);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([name, child]) => [
      name,
      SECRET.test(name) && typeof child === 'string' ? '' : hidden(child),
    ]),
  );
}

function withoutSecrets(body: string): string {
  try {
    const value = JSON.parse(body) as unknown;
    const kept = hidden(value);
    return JSON.stringify(kept) === JSON.stringify(value) ? body : JSON.stringify(kept, null, 2);
  } catch {
    return body;
  }
}

const short = (reply: unknown): unknown => (JSON.stringify(reply ?? null).length > LONGEST ? null : reply);

/** An id that a reply held, and what it is of. */
export interface KnownId {
  readonly id: string;
  readonly kind: string;
  readonly label: string;
}

/** The ids that were met lately, what was made first: they are offered where one is asked for. */
export function knownIds(entries: readonly MadeHere[]): KnownId[] {
  const found = new Map<string, KnownId>();
  const made = [...entries].sort(
    (a, b) => Number(b.operation.startsWith('POST')) - Number(a.operation.startsWith('POST')),
  );
  for (const { reply, operation } of made) {
    const things = [reply, ...((reply as { items?: unknown[] } | null)?.items ?? [])] as Record<string, unknown>[];
    const kind =
      /\/(posts|comments|users|media)\b(?!.*\/(?:posts|comments|users)\b)/.exec(operation)?.[1] ??
      (operation.includes('feeds') ? 'posts' : '');
    for (const thing of things) {
      if (typeof thing?.id !== 'string' || found.has(thing.id)) continue;
      const says = thing.body ?? thing.handle ?? thing.name ?? '';
      found.set(thing.id, { id: thing.id, kind: kind.replace(/s$/, ''), label: String(says).slice(0, 50) });
    }
  }
  return [...found.values()].slice(0, 60);
}
