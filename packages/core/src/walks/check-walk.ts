import {
  bodySchema,
  findOperation,
  followed,
  replySchema,
  type ApiDocument,
  type ApiSchema,
} from '../api/operations.js';
import { didYouMean } from '../text/nearest.js';
import type { ReadWalk, WalkFault } from './read-walk.js';
import { namesIn, unescaped } from './values.js';
import { JOINING, LEAVING, type Json, type Walk, type WalkCall, type WalkStep } from './walk.js';

/** What a person of a walk is known by before they have joined. */
const NEW = ['handle', 'name', 'email', 'password'];

/**
 * What can be said of a walk before anything is called: values that nothing keeps, or only a later step; people whom nobody makes; calls,
 * statuses and properties that the API document does not have.
 * @param document null where nothing is known of the service
 */
export function checkWalk({ walk, lineOf }: ReadWalk, document: ApiDocument | null): WalkFault[] {
  const faults: WalkFault[] = [];
  const { people = [], joining = JOINING, leaving = LEAVING, steps } = walk;
  const keptOf = joining.calls.flatMap(({ keep = {} }) => Object.keys(keep));
  const parts = [...NEW, ...keptOf];
  if (people.length > 0) {
    const seen = NEW.map((part) => `person.${part}`);
    joining.calls.forEach((each, i) => {
      faults.push(
        ...checkCall(each, { where: `call ${i + 1} of joining`, line: null, known: seen, later: new Map(), document }),
      );
      seen.push(...Object.keys(each.keep ?? {}).map((part) => `person.${part}`));
    });
    const after = parts.map((part) => `person.${part}`);
    faults.push(...checkCall(leaving, { where: 'leaving', line: null, known: after, later: new Map(), document }));
  }
  const known = people.flatMap((person) => parts.map((part) => `${person}.${part}`));
  const later = new Map<string, number>();
  steps.forEach(({ keep = {} }, n) => {
    for (const name of Object.keys(keep)) if (!later.has(name)) later.set(name, n);
  });
  const seen = new Set(known);
  steps.forEach((step, n) => {
    const place = { where: `step ${n + 1}`, line: lineOf(n), known: seen, later, document };
    faults.push(...checkCaller(step, walk, place), ...checkCall(step, place), ...checkExpected(step, place));
    for (const name of Object.keys(step.keep ?? {})) seen.add(name);
  });
  return faults;
}

interface Place {
  readonly where: string;
  readonly line: number | null;
  readonly known: Iterable<string>;
  /** The first step that keeps each name. */
  readonly later: ReadonlyMap<string, number>;
  readonly document: ApiDocument | null;
}

function checkCaller({ as = 'nobody' }: WalkStep, { people = [] }: Walk, { where, line }: Place): WalkFault[] {
  const callers = [...people, 'operator', 'nobody'];
  if (callers.includes(as)) return [];
  return [
    {
      line,
      where,
      says: `is called as \`${as}\`, who is none of its people${didYouMean(as, callers)}: there are ${callers.join(', ')}`,
    },
  ];
}

function checkCall(step: WalkCall, { where, line, known, later, document }: Place): WalkFault[] {
  const { expect } = step as WalkStep;
  const there = new Set(known);
  const sent = namesIn([step.call, { ...step.headers }, step.body ?? null] as Json);
  const own = Object.keys(step.keep ?? {});
  // What is expected may name what the reply itself held.
  const expected = namesIn((expect ?? {}) as Json).filter((name) => !own.includes(name));
  const missing = [...new Set([...sent, ...expected])].filter((name) => !there.has(name));
  const faults = missing.map((name): WalkFault => {
    const keeps = later.get(name);
    const says =
      keeps === undefined
        ? `asks for {${name}}, which nothing keeps${didYouMean(name, [...there].slice(0, 500))}; a brace that is meant is doubled, {{`
        : where === `step ${keeps + 1}`
          ? `asks for {${name}}, which it keeps of its own reply: it would have to come before itself`
          : `asks for {${name}}, which is kept by step ${keeps + 1} only: that comes later`;
    return { line, where, says };
  });
  if (!document) return faults;
  const [method, path] = step.call.split(' ') as [string, string];
  const found = findOperation(document, method, path);
  if (!found) {
    const says = `calls ${step.call}, which the API document does not have${didYouMean(path, Object.keys(document.paths))}`;
    return [...faults, { line, where, says }];
  }
  const statuses = [expect?.status ?? []].flat();
  // What is meant to be refused may send what it likes.
  const taken = bodySchema(found.operation)?.schema;
  if (taken && step.body !== undefined && statuses.every((status) => status < 400))
    for (const at of unknownIn(document, taken, step.body, ''))
      faults.push({ line, where, says: `sends ${at} in the body, which the call does not take` });
  const reply = statuses.length === 0 ? anyGood(found.operation, document) : replySchema(found.operation, statuses[0]!);
  for (const [name, pointer] of Object.entries(step.keep ?? {})) {
    if (!pointer.startsWith('/') || reply === null) continue;
    const lacking = lackingAt(document, reply, pointer.split('/').slice(1).map(unescaped));
    if (lacking)
      faults.push({ line, where, says: `keeps ${name} from ${pointer}, but the reply has no \`${lacking}\`` });
  }
  return faults;
}

const anyGood = (operation: Parameters<typeof replySchema>[0], _document: ApiDocument): ApiSchema | null =>
  replySchema(operation, 200) ?? replySchema(operation, 201);

function checkExpected({ call, expect }: WalkStep, { where, line, document }: Place): WalkFault[] {
  if (!document || !expect) return [];
  const [method, path] = call.split(' ') as [string, string];
  const operation = findOperation(document, method, path)?.operation;
  if (!operation) return [];
  const statuses = [expect.status ?? []].flat();
  const listed = Object.keys(operation.responses ?? {});
  const faults = statuses
    .filter((status) => !listed.includes(String(status)))
    .map((status): WalkFault => ({
      line,
      where,
      says: `expects ${status}, which this call never answers: it answers ${listed.join(', ')}`,
    }));
  if (faults.length > 0 || expect.problem !== undefined) return faults;
  const schema = statuses.length === 0 ? anyGood(operation, document) : replySchema(operation, statuses[0]!);
  if (schema === null) return faults;
  const unknown = expect.body === undefined ? [] : [...unknownIn(document, schema, expect.body, '')];
  for (const pointer of Object.keys(expect.values ?? {})) {
    const lacking = lackingAt(document, schema, pointer.split('/').slice(1).map(unescaped));
    if (lacking) unknown.push(`${pointer} (there is no \`${lacking}\`)`);
  }
  return [
    ...faults,
    ...unknown.map((at): WalkFault => ({
      line,
      where,
      says: `expects ${at} of the body, which the API document does not have`,
    })),
  ];
}

/** What a schema, or any of its choices, says of a property; null where it says that there is none, undefined where anything goes. */
function propertyOf(document: ApiDocument, schema: ApiSchema, name: string): ApiSchema | null | undefined {
  const whole = followed(document, schema);
  if (whole === undefined) return undefined;
  const choices = [whole.anyOf, whole.oneOf, whole.allOf].flatMap((each) => (each as ApiSchema[] | undefined) ?? []);
  if (choices.length > 0) {
    const found = choices.map((choice) => propertyOf(document, choice, name));
    return found.find((each) => each !== null && each !== undefined) ?? (found.includes(undefined) ? undefined : null);
  }
  const { properties, additionalProperties, items, type } = whole as {
    properties?: Record<string, ApiSchema>;
    additionalProperties?: boolean | ApiSchema;
    items?: ApiSchema;
    type?: string;
  };
  if (/^(?:\*|\d+)$/.test(name) && items) return items;
  if (properties && Object.hasOwn(properties, name)) return properties[name]!;
  if (typeof additionalProperties === 'object') return additionalProperties;
  if (additionalProperties === true || 'x-own-fields' in whole) return undefined;
  return properties !== undefined || (type !== undefined && type !== 'object') ? null : undefined;
}

/** The first part of a path that is not there, or null. */
function lackingAt(document: ApiDocument, schema: ApiSchema, parts: readonly string[]): string | null {
  let at: ApiSchema | undefined = schema;
  for (const part of parts) {
    const next: ApiSchema | null | undefined = propertyOf(document, at, part);
    if (next === null) return part;
    if (next === undefined) return null;
    at = next;
  }
  return null;
}

function* unknownIn(document: ApiDocument, schema: ApiSchema, expected: Json, at: string): Generator<string> {
  if (typeof expected !== 'object' || expected === null) return;
  for (const [name, value] of Object.entries<Json>(expected)) {
    const found = propertyOf(document, schema, name);
    if (found === null) yield `${at}/${name}`;
    else if (found !== undefined) yield* unknownIn(document, found, value, `${at}/${name}`);
  }
}
