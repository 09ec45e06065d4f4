/** What a section does not name is a mistake. */
export const closed = { additionalProperties: false } as const;
