import { configKeys } from './schema.js';

interface Schema {
  readonly type?: string;
  readonly default?: unknown;
  readonly description?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly items?: Schema & { readonly properties?: Record<string, Schema>; readonly required?: readonly string[] };
  readonly anyOf?: readonly { readonly const?: unknown }[];
  readonly enum?: readonly unknown[];
}

/** The page of every key of the configuration, as Markdown: what it is for, what it may be, its default, its variable. */
export function configurationPage(): string {
  const sections = new Map<string, string[]>();
  for (const { path, schema, variable } of configKeys()) {
    const section = path.length > 1 ? path[0]! : 'at the top';
    const { description = '', default: usual, items } = schema as Schema;
    const cells = [
      code(path.join('.')),
      description.replaceAll('|', '\\|') + membersOf(items),
      valuesOf(schema),
      usual === undefined ? '' : code(JSON.stringify(usual)),
      code(variable),
    ];
    sections.set(section, [...(sections.get(section) ?? []), `| ${cells.join(' | ')} |`]);
  }
  const tables = [...sections].map(
    ([name, rows]) =>
      `## ${name}\n\n| key | what it is for | values | default | variable |\n|---|---|---|---|---|\n${rows.join('\n')}`,
  );
  return `${INTRODUCTION}\n\n${tables.join('\n\n')}\n`;
}

const INTRODUCTION = `# Configuration

Every key is optional. A flag of the command wins over an environment variable, a variable over \`gather-lane.yaml\`, and that over
the default. In a variable a list of words is written with commas, one of objects as JSON. \`npx gather-lane config\` writes a first file, with every key in it as a
comment; a running service publishes the schema at \`/docs/config.schema.json\`, for editors. A key that is not known stops the
start, with its line and the nearest one.

Fields of your own stand under \`model\`: see [Shape the model](shape-the-model.md). The database of the service can be named by
\`PGHOST\`, \`PGPORT\`, \`PGUSER\`, \`PGPASSWORD\` and \`PGDATABASE\` as well.

The command has three variables of its own: \`GATHER_LANE_ADDRESS\` (the service it talks to), \`GATHER_LANE_OPERATOR_KEY\`, and
\`GATHER_LANE_SESSION_FILE\` (where it keeps who is signed in). A service that is started with \`GATHER_LANE_OPERATOR_KEY\` takes
that key, so that all services of a database have one; a demo makes its own.

This page is made from the schema: \`npm run docs\`.`;

const code = (text: string): string => `\`${text.replaceAll('|', '\\|')}\``;

function valuesOf({ type, minimum, maximum, anyOf, enum: listed, items }: Schema): string {
  const words = listed ?? anyOf?.flatMap((one) => (one.const === undefined ? [] : [one.const])) ?? [];
  if (words.length > 0) return words.map((word) => code(String(word))).join(', ');
  if (type === 'array') return items?.properties ? 'list of objects' : 'list';
  if (minimum !== undefined && maximum !== undefined) return `${type ?? ''} ${minimum} to ${maximum}`;
  return minimum === undefined ? (type ?? '') : `${type ?? ''} from ${minimum}`;
}

/** What an entry of a list is made of. */
function membersOf(items: Schema['items']): string {
  if (!items?.properties) return '';
  const members = Object.entries(items.properties).map(
    ([name, { description }]) =>
      `${code(name)}${items.required?.includes(name) ? '' : ' (optional)'}${description ? `: ${description.replaceAll('|', '\\|').replace(/\.$/, '')}` : ''}`,
  );
  return ` Each has ${members.join('; ')}.`;
}
