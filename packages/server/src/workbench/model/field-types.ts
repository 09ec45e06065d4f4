import { fieldsOf, MODEL_TABLES, type Field, type OwnFields, type ModelTableName } from '@gather-lane/core';

const ONE = { users: 'User', posts: 'Post', comments: 'Comment' };

const TYPES: Record<Field['kind'], string> = {
  'string': 'string',
  'enum': 'string',
  'integer': 'number',
  'number': 'number',
  'boolean': 'boolean',
  'date': 'string',
  'date-time': 'string',
  'user': 'string',
};

/** What the API shows of a table's own fields to anybody but the operator. */
const shownOf = (model: OwnFields, table: ModelTableName): Field[] =>
  fieldsOf(model, table).filter(({ audience }) => audience !== 'operator');

/**
 * The developer's own fields as TypeScript types, for code that uses the client: what a reply carries in `fields`.
 * Fields for the operator's eyes alone are not among them.
 */
export function modelAsTypes(model: OwnFields): string {
  const parts = MODEL_TABLES.flatMap((table) => {
    const fields = shownOf(model, table);
    if (fields.length === 0) return [];
    const lines = fields.map(
      (field) => `${comment(field)}  ${field.name}${field.audience === 'owner' ? '?' : ''}: ${typeOf(field)};`,
    );
    const one = ONE[table];
    return [
      `/** Fields of your own on ${table}. */
export interface ${one}Fields {
${lines.join('\n')}
}
`,
    ];
  });
  if (parts.length === 0) return '// The model file names no fields of your own.\n';
  const own = MODEL_TABLES.filter((table) => shownOf(model, table).length > 0);
  return `// The fields of your own, as the API carries them. Made by \`gather-lane model --types\`: with this file in a program,
// every reply of the client is typed by it.
import '@gather-lane/client';

${parts.join('\n\n')}

declare module '@gather-lane/client' {
  interface OwnFields {
${own.map((table) => `    ${table}: ${ONE[table]}Fields;`).join('\n')}
  }
}
`;
}

function typeOf({ kind, rule, required }: Field): string {
  const type = kind === 'enum' ? rule.enum!.map((value) => JSON.stringify(value)).join(' | ') : TYPES[kind];
  return required ? type : `${type} | null`;
}

function comment({ description, audience, kind }: Field): string {
  const notes = [
    description?.replaceAll('*/', '* /'),
    kind === 'date' ? 'A date, as in 2026-04-01' : null,
    kind === 'date-time' ? 'An instant (RFC 3339)' : null,
    kind === 'user' ? 'The id of a user' : null,
    audience === 'owner' ? 'Shown to the owner alone' : null,
  ].filter(Boolean);
  return notes.length > 0 ? `  /** ${notes.join('. ')}. */\n` : '';
}
