/** A text as one word of a POSIX shell, in quotes. */
export const inShellQuotes = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/** The same, in quotes only where it has to be: for people to read. */
export const shellWord = (text: string): string => (/^[\w@%+=:,./-]+$/.test(text) ? text : inShellQuotes(text));
