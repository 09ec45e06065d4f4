import { bodySchema, type FoundOperation } from '@gather-lane/core/calls';

/** Who a call is made as. */
export interface CallerChoice {
  readonly as: 'nobody' | 'user' | 'blocked' | 'ended' | 'operator';
  /** With its @; for all but nobody and the operator. */
  readonly user?: string;
}

/** A call as it is being written. */
export interface Draft {
  /** By name, of path and query alike. */
  readonly parameters: Readonly<Record<string, string>>;
  readonly headers: Readonly<Record<string, string>>;
  /** JSON as it is written; empty for none. */
  readonly body: string;
}

/** A call as it is sent. */
export interface Sent {
  readonly method: string;
  readonly path: string;
  readonly headers: Record<string, string>;
  readonly body?: unknown;
}

export const EMPTY: Draft = { parameters: {}, headers: {}, body: '' };

/** Headers that mean something to calls of the service, beside those that say who calls. */
export const headersOf = ({ operation }: FoundOperation): string[] =>
  (operation.parameters ?? []).filter((parameter) => parameter.in === 'header').map(({ name }) => name);

/** What a call is named as in lists: its caller. */
export const callerName = ({ as, user }: CallerChoice): string =>
  as === 'user' ? (user ?? '') : as === 'ended' ? `${user}, token ended` : as === 'blocked' ? `${user}, blocked` : as;

/** The body as a value, or what is wrong with the JSON. */
export function readBody(text: string): { value: unknown } | { fault: string } {
  if (text.trim() === '') return { value: undefined };
  try {
    return { value: JSON.parse(text) as unknown };
  } catch (error) {
    return { fault: `is not well-formed JSON: ${(error as Error).message}` };
  }
}

/** A draft as a call. Parameters of the path that are left out stay as the document writes them. */
export function toSent(found: FoundOperation, { parameters, headers, body }: Draft): Sent {
  const { method, template, operation } = found;
  const path = template.replace(/\{(\w+)\}/g, (whole, name: string) => {
    const value = parameters[name] ?? '';
    return value === '' ? whole : encodeURIComponent(value).replaceAll('%40', '@');
  });
  const query = new URLSearchParams();
  for (const parameter of operation.parameters ?? [])
    if (parameter.in === 'query' && parameters[parameter.name]) query.set(parameter.name, parameters[parameter.name]!);
  const read = readBody(body);
  const sends = bodySchema(operation) !== null && 'value' in read && read.value !== undefined;
  return {
    method,
    path: query.size > 0 ? `${path}?${query}` : path,
    headers: Object.fromEntries(Object.entries(headers).filter(([, value]) => value !== '')),
    ...(sends && { body: read.value }),
  };
}
