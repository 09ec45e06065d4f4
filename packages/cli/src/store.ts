import { mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import envPaths from 'env-paths';
import { Failure } from './failure.js';

/** What is kept for one service address. */
interface Entry {
  session?: { accessToken: string; refreshToken: string | null; handle: string };
  /** Ids shown lately, newest first: a shortened id is looked for here. */
  seen?: string[];
}

type Contents = Record<string, Entry>;

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** What a file of somebody's hand may hold is taken only where it is what this command writes. */
function entryOf(value: unknown): Entry {
  if (!isObject(value)) return {};
  const { session, seen } = value;
  const isSession =
    isObject(session) &&
    typeof session.accessToken === 'string' &&
    typeof session.handle === 'string' &&
    (session.refreshToken === null || typeof session.refreshToken === 'string');
  return {
    ...(isSession && { session: session as unknown as NonNullable<Entry['session']> }),
    ...(Array.isArray(seen) && { seen: seen.filter((id): id is string => typeof id === 'string') }),
  };
}

const MOST_SEEN = 2_000;

const path = (): string =>
  process.env.GATHER_LANE_SESSION_FILE ?? join(envPaths('gather-lane', { suffix: '' }).config, 'session.json');

function read(): Contents {
  try {
    const contents: unknown = JSON.parse(readFileSync(path(), 'utf8'));
    if (!isObject(contents)) throw new Error('it is no JSON object');
    return Object.fromEntries(Object.entries(contents).map(([address, entry]) => [address, entryOf(entry)]));
  } catch (error) {
    if ((error as { code?: string }).code === 'ENOENT') return {};
    throw new Failure(`${path()} cannot be read (${(error as Error).message}): mend or remove it, then sign in again.`);
  }
}

function change(address: string, edit: (entry: Entry) => Entry): void {
  const contents = read();
  contents[address] = edit(contents[address] ?? {});
  mkdirSync(dirname(path()), { recursive: true, mode: 0o700 });
  const draft = `${path()}.${process.pid}`;
  rmSync(draft, { force: true });
  writeFileSync(draft, JSON.stringify(contents, null, 2) + '\n', { mode: 0o600 });
  renameSync(draft, path());
}

/** The signed-in session of an address, kept in the user's config folder with mode 0600. */
export const store = {
  session: (address: string): Entry['session'] => read()[address]?.session,

  keep(address: string, session: NonNullable<Entry['session']>): void {
    change(address, (entry) => ({ ...entry, session }));
  },

  forget(address: string): void {
    change(address, ({ seen }) => ({ ...(seen && { seen }) }));
  },

  /** Remembers ids that were shown, so that their ends name them. */
  show(address: string, ids: string[]): void {
    const fresh = new Set(ids);
    change(address, (entry) => ({
      ...entry,
      seen: [...ids, ...(entry.seen ?? []).filter((id) => !fresh.has(id))].slice(0, MOST_SEEN),
    }));
  },

  seen: (address: string): string[] => read()[address]?.seen ?? [],
};
