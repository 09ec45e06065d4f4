import { shellWord, type FoundOperation } from '@gather-lane/core/calls';
import type { CallerChoice, Draft, Sent } from './draft';
import { readBody } from './draft';

const tokenOf = ({ as }: CallerChoice): string | null =>
  as === 'nobody' ? null : as === 'operator' ? '$GATHER_LANE_OPERATOR_KEY' : '$TOKEN';

/** The call for a shell, by curl. */
export function asCurl({ method, path, headers, body }: Sent, caller: CallerChoice, address: string): string {
  const token = tokenOf(caller);
  const parts = [
    `curl -i ${method === 'GET' ? '' : `-X ${method} `}${shellWord(address + path)}`,
    ...(token === null ? [] : [`-H "Authorization: Bearer ${token}"`]),
    ...Object.entries(headers).map(([name, value]) => `-H ${shellWord(`${name}: ${value}`)}`),
    ...(body === undefined ? [] : [`-H 'Content-Type: application/json'`, `-d ${shellWord(JSON.stringify(body))}`]),
  ];
  return parts.join(' \\\n  ');
}

/** The call as code with the client. */
export function asClientCode(
  { method, template, operation }: FoundOperation,
  { parameters, headers, body }: Draft,
  caller: CallerChoice,
): string {
  const of = (where: string) =>
    Object.fromEntries(
      (operation.parameters ?? [])
        .filter((parameter) => parameter.in === where && parameters[parameter.name])
        .map(({ name, schema }) => [
          name,
          /integer|number/.test(String(schema?.type)) ? Number(parameters[name]) : parameters[name]!,
        ]),
    );
  const [path, query] = [of('path'), of('query')];
  const sent = Object.fromEntries(Object.entries(headers).filter(([, value]) => value !== ''));
  const params = {
    ...(Object.keys(path).length > 0 && { path }),
    ...(Object.keys(query).length > 0 && { query }),
    ...(Object.keys(sent).length > 0 && { header: sent }),
  };
  const read = readBody(body);
  const value = 'value' in read ? read.value : undefined;
  const options = { ...(Object.keys(params).length > 0 && { params }), ...(value !== undefined && { body: value }) };
  const given = Object.keys(options).length > 0 ? `, ${JSON.stringify(options, null, 2)}` : '';
  const token = tokenOf(caller)?.replace('$', 'process.env.');
  return [
    `import { createClient, unwrap } from '@gather-lane/client';`,
    '',
    `const client = createClient({ address: ${JSON.stringify(window.location.origin)}${token ? `, token: () => ${token} ?? null` : ''} });`,
    `const reply = unwrap(await client.${method}('${template}'${given}));`,
  ].join('\n');
}

type Values = Readonly<Record<string, string>>;

/** Commands that do just what an operation does. */
const COMMANDS: Readonly<Record<string, (given: Values, body: Record<string, unknown>) => string>> = {
  createPost: (_, { body }) => `post ${shellWord(String(body ?? ''))}`,
  editPost: ({ post }, { body }) => `edit ${post} ${shellWord(String(body ?? ''))}`,
  deletePost: ({ post }) => `delete ${post}`,
  getPost: ({ post }) => `show ${post}`,
  readFollowingFeed: ({ order, limit }) => `feed${order ? ` --order ${order}` : ''}${limit ? ` --limit ${limit}` : ''}`,
  follow: ({ user }) => `follow ${user}`,
  unfollow: ({ user }) => `unfollow ${user}`,
  createComment: ({ post }, { body }) => `comment ${post} ${shellWord(String(body ?? ''))}`,
  reactToPost: ({ post }, { kind }) => `react ${post} ${String(kind ?? '')}`,
  listNotifications: () => 'notifications',
  listTraces: () => 'traces',
  readTrace: ({ trace }) => `trace ${trace}`,
};

/** The call as a command of ours, or null where none does just this. */
export function asCommand({ operation }: FoundOperation, { parameters, body }: Draft): string | null {
  const make = COMMANDS[operation.operationId ?? ''];
  const read = readBody(body);
  if (!make || 'fault' in read) return null;
  return `npx gather-lane ${make(parameters, (read.value ?? {}) as Record<string, unknown>)}`;
}
