import { stringify } from 'yaml';
import { escaped } from './values.js';
import type { Json } from './walk.js';

/** A call that was made, and what came of it. */
export interface MadeCall {
  /** `nobody`, `operator`, or a @handle. */
  readonly as: string;
  readonly userId: string | null;
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Json | undefined;
  readonly status: number;
  readonly reply: Json | undefined;
}

const UUID = /[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}/gi;

/**
 * A walk of calls that were made: who called becomes a person of it, and an id that an earlier reply held is taken from there.
 * @returns the text of a walk file
 */
export function recordWalk(title: string, calls: readonly MadeCall[]): string {
  const people = new Map<string, string>();
  const names = new Map<string, string>();
  for (const { as, userId } of calls) {
    if (!as.startsWith('@')) continue;
    const person = as.slice(1);
    people.set(as, person);
    names.set(as, `@{${person}.handle}`);
    if (userId !== null) names.set(userId, `{${person}.id}`);
  }
  const keeps = calls.map((): Record<string, string> => ({}));
  const taken = new Set<string>();
  const replaced = (text: string): string =>
    [...names].reduce(
      (all, [value, name]) => all.replaceAll(value, name),
      text.replaceAll('{', '{{').replaceAll('}', '}}'),
    );
  const steps = calls.map(({ as, method, path, headers, body, status }, n) => {
    for (const id of new Set(JSON.stringify([path, body ?? null]).match(UUID) ?? [])) {
      if (names.has(id)) continue;
      const found = foundIn(calls, n, id);
      if (!found) continue;
      const name = nameFor(found.pointer, calls[found.n]!.path, taken);
      names.set(id, `{${name}}`);
      keeps[found.n]![name] = found.pointer;
    }
    return {
      as: people.get(as) ?? as,
      call: `${method} ${replaced(path)}`,
      ...(Object.keys(headers).length > 0 && { headers }),
      ...(body !== undefined && {
        body: JSON.parse(JSON.stringify(body), (_, value: Json) =>
          typeof value === 'string' ? replaced(value) : value,
        ) as Json,
      }),
      expect: { status },
    };
  });
  const walk = {
    walk: title,
    ...(people.size > 0 && { people: [...people.values()] }),
    steps: steps.map(({ expect, ...step }, n) => ({
      ...step,
      ...(Object.keys(keeps[n]!).length > 0 && { keep: keeps[n] }),
      expect,
    })),
  };
  return stringify(walk, { lineWidth: 110 });
}

/** The earliest reply before a call that holds an id, and where. */
function foundIn(calls: readonly MadeCall[], before: number, id: string): { n: number; pointer: string } | null {
  for (let n = 0; n < before; n++) {
    const pointer = pointerTo(calls[n]!.reply, id, '');
    if (pointer !== null) return { n, pointer };
  }
  return null;
}

function pointerTo(value: Json | undefined, wanted: string, at: string): string | null {
  if (value === wanted) return at;
  if (typeof value !== 'object' || value === null) return null;
  for (const [name, child] of Object.entries<Json>(value)) {
    const found = pointerTo(child, wanted, `${at}/${escaped(name)}`);
    if (found !== null) return found;
  }
  return null;
}

/** `post` for what `POST /v1/posts` answered, `author` for `/author/id`; numbered where it is taken. */
function nameFor(pointer: string, path: string, taken: Set<string>): string {
  const parts = pointer.split('/').filter((part) => /^[A-Za-z]+$/.test(part) && part !== 'id' && part !== 'items');
  const thing =
    parts.at(-1)?.replace(/Id$/, '') ??
    path
      .split('?')[0]!
      .split('/')
      .findLast((part) => /^[a-z]+s$/.test(part))
      ?.slice(0, -1) ??
    'thing';
  let name = thing;
  for (let n = 2; taken.has(name); n++) name = `${thing}${n}`;
  taken.add(name);
  return name;
}
