import { readEventPosition, type EventPosition } from '@gather-lane/core';
import { Type } from 'typebox';
import type { DataSource } from 'typeorm';
import type { Feed } from '../../feed/service.js';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import { readerFor } from '../../ground/http/reader.js';
import { replies } from '../../ground/http/replies.js';
import type { StreamHub } from './hub.js';
import { Stream } from './stream.js';

/** What these are made of. */
interface Needs {
  readonly hub: StreamHub;
  readonly feed: Feed;
  readonly database: DataSource;
}

const MOST_POSTS = 100;
const RETRY_MS = 2_000;
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
/** Where nobody knows what was missed. */
const UNKNOWN: EventPosition = { at: 0, snapshot: '1:1:' };

const stream = {
  description:
    'Server-Sent Events: `notification` (one that was made or grew), `unseen` (how many are), `newer` (what came above), `tallies` (`items`, each with `postId` and `tallies`), and `reset` where it cannot be known what was missed: read afresh',
  headers: { 'Content-Type': { schema: { type: 'string', const: 'text/event-stream' } } },
  content: { 'text/event-stream': { schema: Type.String() } },
};

/** @throws Problem `invalid` for more than a screen of posts, or what is no id */
function postsOf(query: string | undefined): Set<string> {
  const posts = (query ?? '').split(',').filter((id) => id !== '');
  const wrong = posts.find((id) => !UUID.test(id));
  if (wrong !== undefined) throw invalid('/posts', `has "${wrong}", which is no id of a post`);
  if (posts.length > MOST_POSTS) throw invalid('/posts', `names ${posts.length} posts; the limit is ${MOST_POSTS}`);
  return new Set(posts.map((id) => id.toLowerCase()));
}

/**
 * Where a reader reads on, or null for one that begins. A browser sends what it has kept, and would ask again and again: where that is none
 * of ours, it is told to read afresh.
 * @throws Problem `bad-cursor` for a parameter that is none
 */
function positionOf(header: string | string[] | undefined, after: string | undefined): EventPosition | null {
  if (header !== undefined) return readEventPosition([header].flat()[0]!) ?? UNKNOWN;
  if (after === undefined) return null;
  const position = readEventPosition(after);
  if (position === null)
    throw new Problem('bad-cursor', 'This is not the id of an event: pass it as it came, or leave it out to begin.');
  return position;
}

/** The route of what happens, as it happens. */
export function streamRoutes(app: App, { hub, feed, database }: Needs): void {
  app.get(
    '/v1/events',
    {
      config: { lasting: 'it does not end', doorway: 'signed-in' },
      exposeHeadRoute: false,
      schema: {
        operationId: 'followEvents',
        tags: ['notifications'],
        summary: 'What happens to the caller, as it happens: Server-Sent Events',
        description:
          'Each event has an `id` from which a reader reads on, at whichever process, by sending it as `Last-Event-ID` or `after`: nothing is left out, and no notification comes twice. How things stand (`unseen`, `tallies`, `newer`) is told at the beginning, and as it changes.',
        querystring: Type.Object({
          posts: Type.Optional(
            Type.String({
              maxLength: 4000,
              description: `Ids of posts on screen, with commas between, at most ${MOST_POSTS}`,
            }),
          ),
          than: Type.Optional(
            Type.String({
              minLength: 1,
              description: 'The `first` of the feed on screen, above which posts are counted',
            }),
          ),
          after: Type.Optional(
            Type.String({
              minLength: 1,
              maxLength: 4096,
              description: 'The id of the last event that was heard, where no header can say it',
            }),
          ),
        }),
        response: replies({ 200: stream as never }, ['invalid', 'bad-cursor', 'scroll-expired', 'too-many-streams']),
      },
    },
    async (request, reply) => {
      const viewer = signedIn(request);
      const { posts, than = null, after } = request.query;
      const order = { viewer, posts: postsOf(posts), than };
      const free = hub.reserve(viewer.userId);
      let opened: Stream;
      try {
        if (than !== null) await feed.newer(readerFor(request, database), than);
        const position = positionOf(request.headers['last-event-id'], after) ?? (await hub.begin());
        const { raw } = reply;
        opened = new Stream(order, raw, position);
        raw.once('close', () => {
          hub.remove(opened);
          free();
        });
        if (raw.destroyed) throw new Error('The reader has gone.');
      } catch (error) {
        free();
        throw error;
      }
      const headers = {
        ...reply.getHeaders(),
        'content-type': 'text/event-stream',
        'cache-control': 'no-store',
        'x-accel-buffering': 'no',
        // Nothing else comes on it: once it has ended, nothing is waited for.
        'connection': 'close',
      };
      reply.hijack();
      reply.raw.writeHead(200, headers as Record<string, string>);
      reply.raw.flushHeaders();
      await hub.add(opened).catch((error: unknown) => {
        // What could not be told is told when it comes back.
        request.log.error(error);
        opened.end(RETRY_MS);
      });
      return reply;
    },
  );
}
