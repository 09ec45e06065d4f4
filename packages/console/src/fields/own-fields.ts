import type { OwnField } from '@gather-lane/client';

/** What was typed for each field, as text; empty for none. */
export type Typed = Readonly<Record<string, string>>;
/** Values of fields, as the API carries them. */
export type Values = Record<string, string | number | boolean | null>;

/** Values as they stand in the inputs. */
export const toTyped = (fields: readonly OwnField[], values: Record<string, unknown>): Typed =>
  Object.fromEntries(fields.map(({ name, kind }) => [name, toText(kind, values[name])]));

function toText(kind: string, value: unknown): string {
  if (value === null || value === undefined) return '';
  // What a browser's input takes: no seconds, no zone. Times are UTC throughout the console.
  return kind === 'date-time' ? String(value).slice(0, 16) : String(value);
}

/** What was typed, as values; only what differs from how it was before. */
export function changedValues(fields: readonly OwnField[], before: Typed, typed: Typed): Values {
  const changed = fields.filter(({ name }) => (typed[name] ?? '') !== (before[name] ?? ''));
  return Object.fromEntries(changed.map(({ name, kind }) => [name, toValue(kind, typed[name] ?? '')]));
}

function toValue(kind: string, text: string): Values[string] {
  if (text === '') return null;
  if (kind === 'integer' || kind === 'number') return Number(text);
  if (kind === 'boolean') return text === 'true';
  return kind === 'date-time' ? `${text}:00Z` : text;
}

/** Whether every field that must have a value has one. */
export const isComplete = (fields: readonly OwnField[], typed: Typed): boolean =>
  fields.every(({ name, required, needed }) => !(required && needed) || (typed[name] ?? '') !== '');
