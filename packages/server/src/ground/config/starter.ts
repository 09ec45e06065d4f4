import { configKeys } from './schema.js';

/** A first `gather-lane.yaml`: every key with its default, commented out, and what it is for. */
export function starterConfig(): string {
  const lines = [
    '# Gather Lane configuration. Every key is optional; what stands here are the defaults.',
    '# An environment variable (named after each key) wins over this file, and a flag over both.',
  ];
  let section = '';
  for (const { path, schema, variable } of configKeys()) {
    const [head, leaf] = path.length > 1 ? [path[0]!, path[1]!] : ['', path[0]!];
    if (head !== section || head === '') lines.push('');
    if (head && head !== section) lines.push(`# ${head}:`);
    section = head;
    const indent = head ? '  ' : '';
    const value = schema.default === undefined ? '' : ` ${JSON.stringify(schema.default)}`;
    lines.push(`# ${indent}# ${schema.description ?? ''} (${variable})`, `# ${indent}${leaf}:${value}`);
  }
  lines.push(...MODEL);
  return lines.join('\n') + '\n';
}

const MODEL = [
  '',
  '# Fields of your own on users, posts and comments, in the words of JSON Schema. `gather-lane model changes` shows',
  '# what they would do to the tables, `gather-lane model migrate` does it.',
  '# model:',
  '#   posts:',
  '#     fields:',
  '#       lockNumber: { type: integer, minimum: 1, maximum: 21, indexed: true }',
];
