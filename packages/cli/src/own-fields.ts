import type { Client } from '@gather-lane/client';
import { unwrap } from './context.js';
import { Failure } from './failure.js';
import { harmless } from './output.js';

/** Values of own fields, by name. */
export type FieldValues = Record<string, string | number | boolean | null>;

/** Adds up `--field name=value`, given any number of times. */
export const fieldOption = (text: string, before: string[] | undefined): string[] => [...(before ?? []), text];

/** What the option is for. */
export const FIELD_HELP = 'a field of your own: name=value; name= clears it';

/**
 * Own fields as they were typed, as values of their types. A name that the service does not know is sent all the
 * same: it says which there are.
 */
export async function fieldValues(
  client: Client,
  table: string,
  typed: string[] | undefined,
): Promise<FieldValues | undefined> {
  if (!typed || typed.length === 0) return undefined;
  const { fields } = unwrap(await client.GET('/v1/about'));
  const own = fields.filter((field) => field.table === table);
  return typedValues(Object.fromEntries(own.map(({ name, kind }) => [name, kind])), typed);
}

/** The same for fields whose kinds are known. */
export const typedValues = (kinds: Record<string, string>, typed: string[]): FieldValues =>
  Object.fromEntries(typed.map((text) => readOne(text, kinds)));

function readOne(text: string, kinds: Record<string, string>): [string, string | number | boolean | null] {
  const split = text.indexOf('=');
  if (split < 1) throw new Failure(`"${text}" names no value: write --field name=value.`, 2);
  const [name, value] = [text.slice(0, split), text.slice(split + 1)];
  return [name, typedValue(kinds[name], value)];
}

/** What was typed, as a value of a kind of field; a kind that is not known is guessed. Nothing typed is null. */
export function typedValue(kind: string | undefined, text: string): FieldValues[string] {
  if (text === '') return null;
  const numeric = kind === 'integer' || kind === 'number' || kind === undefined;
  if (numeric && text.trim() !== '' && Number.isFinite(Number(text))) return Number(text);
  if ((kind === 'boolean' || kind === undefined) && /^(true|false)$/.test(text)) return text === 'true';
  return text;
}

/** Own fields as lines: those that have a value. */
export const fieldLines = (fields: Record<string, unknown>): string[] =>
  Object.entries(fields)
    .filter(([, value]) => value !== null)
    .map(([name, value]) => `${name}: ${harmless(String(value))}`);
