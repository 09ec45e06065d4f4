import { ownedKind, type DoorwayRule } from '@gather-lane/core';
import type { ProblemCode } from '../../ground/http/problem-catalogue.js';
import { problemReplies } from '../../ground/http/replies.js';

interface Reply {
  description: string;
  content?: object;
  headers?: Record<string, { description: string; schema: object }>;
}

interface Operation {
  'summary'?: string;
  'parameters'?: { in: string; name: string }[];
  'responses': Record<string, Reply>;
  'x-headers'?: readonly string[];
  'x-doorway': DoorwayRule;
}

/** What follows from the rule of a route. */
function ofRule(rule: DoorwayRule): ProblemCode[] {
  if (rule === 'anyone') return ['bad-token', 'wrong-principal'];
  const refused: ProblemCode[] = ['not-signed-in', 'bad-token', 'wrong-principal'];
  if (rule === 'moderator') return [...refused, 'moderators-only'];
  return ownedKind(rule) ? [...refused, 'not-found', 'not-yours', 'stale'] : refused;
}

/** What any call can meet, whoever makes it. */
const OF_ALL: ProblemCode[] = [
  'malformed',
  'wrong-host',
  'two-credentials',
  'bad-token',
  'claim-missing',
  'too-slow-request',
  'too-often',
  'headers-too-large',
  'internal',
  'not-ready',
  'no-database',
  'no-keys',
  'too-slow',
  'busy',
  'stopping',
];
/** What a call that changes something can meet as well. */
const OF_WRITES: ProblemCode[] = ['wrong-origin', 'too-large', 'wrong-media-type', 'outcome-unknown', 'no-space'];

const text = { type: 'string' };
const number = { type: 'integer' };
const HEADERS: Record<string, { description: string; schema: object }> = {
  'ETag': { description: 'The version of what is answered: send it as `If-Match` to edit just this', schema: text },
  'Location': { description: 'Where the thing that was made is', schema: text },
  'Link': { description: 'The next page (RFC 8288, `rel="next"`); left out on the last one', schema: text },
  'Set-Cookie': {
    description: 'The session of this browser, or its end; and how far it has seen, where pages are read at standbys',
    schema: text,
  },
  'Gather-Trace': { description: 'The id of what this call did, where calls are traced', schema: text },
  'Gather-Seen': {
    description:
      'How far into the database’s log this reaches, where pages are read at standbys too: send it along with the next call',
    schema: text,
  },
  'Retry-After': { description: 'Seconds until it is worth trying again', schema: number },
  'WWW-Authenticate': { description: 'By what a caller says who they are', schema: text },
  'RateLimit-Limit': { description: 'How many calls a minute the caller has', schema: number },
  'RateLimit-Remaining': { description: 'How many of them are left', schema: number },
  'RateLimit-Reset': { description: 'Seconds until they are all there again', schema: number },
};
const DONE: Record<string, string> = { 204: 'Done; there is nothing more to say', 202: 'Begun' };

/**
 * Completes what the routes declare of their replies: the problems that every call can meet, what each reply means, and its
 * headers. Changes the paths of the document in place.
 */
export function completeReplies(paths: Record<string, Record<string, Operation>>): void {
  for (const methods of Object.values(paths))
    for (const [method, operation] of Object.entries(methods)) complete(method, operation);
}

function complete(method: string, operation: Operation): void {
  const { summary = '', parameters = [], responses } = operation;
  const ofMethod = method === 'get' ? [] : OF_WRITES;
  const common = problemReplies([...ofRule(operation['x-doorway']), ...OF_ALL, ...ofMethod]);
  for (const [status, reply] of Object.entries(common)) {
    const there = responses[status];
    const added = reply.description.split('; ').filter((title) => !there?.description.includes(title));
    responses[status] = there
      ? { ...there, description: [there.description, ...added].join('; ') }
      : describedReply(reply);
  }
  const pages = parameters.some(({ in: where, name }) => where === 'query' && name === 'after');
  const seen = method !== 'get' || parameters.some(({ name }) => name === 'gather-seen');
  const own = [
    ...(operation['x-headers'] ?? []),
    ...(pages ? ['Link'] : []),
    ...(seen ? ['Gather-Seen'] : []),
    ...(method === 'get' ? [] : ['Set-Cookie']),
  ];
  delete operation['x-headers'];
  for (const [status, reply] of Object.entries(responses)) {
    if (Number(status) < 400 && /^Default Response$/.test(reply.description))
      reply.description = DONE[status] ?? summary;
    const names = [
      'Gather-Trace',
      'RateLimit-Limit',
      'RateLimit-Remaining',
      'RateLimit-Reset',
      ...headersOf(Number(status), own),
    ];
    reply.headers = Object.fromEntries(names.map((name) => [name, HEADERS[name]!]));
  }
}

/** References to schemas as they stand in the finished document. */
const describedReply = ({ description }: { description: string }): Reply => ({
  description,
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
});

function headersOf(status: number, own: readonly string[]): readonly string[] {
  if (status < 400) return own;
  if (status === 401) return ['WWW-Authenticate', 'Set-Cookie'];
  return status === 429 || status === 503 ? ['Retry-After'] : [];
}
