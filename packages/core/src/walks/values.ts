import type { Json } from './walk.js';

/** Values by their names: `post`, `ann.id`. */
export type Known = ReadonlyMap<string, Json>;

/** A value is asked for by a name that nothing was kept under. */
export class MissingValue extends Error {
  readonly value: string;
  constructor(name: string) {
    super(`There is no value {${name}}.`);
    this.name = 'MissingValue';
    this.value = name;
  }
}

/** `{name}`, `{person.part}`, `{name...}`; a brace that is doubled is one. */
const REFERENCE = /\{\{|\}\}|\{([A-Za-z][\w]*(?:\.[A-Za-z][\w]*)?)(\.\.\.)?\}/g;
const WHOLE = /^\{([A-Za-z][\w]*(?:\.[A-Za-z][\w]*)?)(\.\.\.)?\}$/;

/** The names that a value refers to. */
export function namesIn(value: Json | undefined): string[] {
  if (typeof value === 'string')
    return [...value.matchAll(REFERENCE)].flatMap(([, name]) => (name === undefined ? [] : [name]));
  if (typeof value !== 'object' || value === null) return [];
  return Object.values(value).flatMap((each: Json) => namesIn(each));
}

/** A value with what it refers to put in. @throws MissingValue */
export function filled(value: Json, known: Known): Json {
  if (typeof value === 'string') {
    const whole = WHOLE.exec(value);
    if (whole) return valueOf(whole[1]!, known);
    return value.replace(REFERENCE, (text, name: string | undefined) =>
      name === undefined ? text[0]! : inText(valueOf(name, known)),
    );
  }
  if (Array.isArray(value)) return value.flatMap((each: Json) => itemsOf(each, known));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, filled(each, known)]));
}

/** A path with what it refers to put in, each so that it stays one part of it. @throws MissingValue */
export const filledPath = (path: string, known: Known): string =>
  path.replace(REFERENCE, (text, name: string | undefined) =>
    name === undefined ? text[0]! : encodeURIComponent(inText(valueOf(name, known))),
  );

function itemsOf(item: Json, known: Known): readonly Json[] {
  const spread = typeof item === 'string' ? WHOLE.exec(item) : null;
  if (!spread?.[2]) return [filled(item, known)];
  const values = valueOf(spread[1]!, known);
  return Array.isArray(values) ? (values as readonly Json[]) : [values];
}

function valueOf(name: string, known: Known): Json {
  const value = known.get(name);
  if (value === undefined) throw new MissingValue(name);
  return value;
}

const inText = (value: Json): string => (typeof value === 'object' ? JSON.stringify(value) : String(value));

/**
 * The value at a JSON Pointer (RFC 6901); a `*` stands for every item of a list, and makes a list of what is there.
 * @returns undefined where there is none
 */
export function valueAt(body: Json | undefined, pointer: string): Json | undefined {
  const parts = pointer === '' ? [] : pointer.split('/').slice(1).map(unescaped);
  return along(body, parts);
}

function along(value: Json | undefined, parts: readonly string[]): Json | undefined {
  const [part, ...rest] = parts;
  if (part === undefined) return value;
  if (typeof value !== 'object' || value === null) return undefined;
  if (part === '*' && Array.isArray(value))
    return (value as readonly Json[]).flatMap((each) => {
      const found = along(each, rest);
      return found === undefined
        ? []
        : rest.includes('*') && Array.isArray(found)
          ? (found as readonly Json[])
          : [found];
    });
  return Object.hasOwn(value, part) ? along((value as Record<string, Json>)[part], rest) : undefined;
}

/** A part of a JSON Pointer as a name. */
export const unescaped = (part: string): string => part.replaceAll('~1', '/').replaceAll('~0', '~');
/** A name as a part of a JSON Pointer. */
export const escaped = (name: string): string => name.replaceAll('~', '~0').replaceAll('/', '~1');
