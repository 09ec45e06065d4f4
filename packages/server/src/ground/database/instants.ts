import pg, { type CustomTypesConfig } from 'pg';

/** An instant as the API writes it: `2026-11-26T07:50:29.123Z`. */
export type InstantText = string;

const TIMESTAMPTZ = 1184;

/** PostgreSQL's text of an instant as the API writes it, to the millisecond. */
export function instantText(text: string): InstantText {
  // As a session in UTC writes it, to the millisecond at most: no Date need be made of it.
  if (!/^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(?:\.\d{1,3})?\+00$/.test(text))
    return (pg.types.getTypeParser(TIMESTAMPTZ)(text) as unknown as Date).toISOString();
  return `${text.slice(0, 10)}T${text.slice(11, 19)}.${text.slice(20, -3).padEnd(3, '0')}Z`;
}

/** Reads instants as text: a page has three for each post, and is asked for more than anything. */
export const INSTANTS_AS_TEXT: CustomTypesConfig = {
  getTypeParser: ((oid: number, format?: 'text') =>
    oid === TIMESTAMPTZ ? instantText : pg.types.getTypeParser(oid, format)) as CustomTypesConfig['getTypeParser'],
};
