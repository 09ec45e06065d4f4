import { readLogPlace, UNKNOWN_PLACE } from '@gather-lane/core';
import { Type } from 'typebox';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { DataSource } from 'typeorm';
import { SESSION_COOKIE, SESSION_COOKIE_OPTIONS } from '../http/principal.js';
import { WrittenPlaces } from '../database/written-places.js';
import { FlushedPlace } from './flushed-place.js';
import type { Standbys } from './standbys.js';

/** By which a reply says how far into the log what the caller did and saw reaches, and a call brings it back. */
export const SEEN_HEADER = 'gather-seen';
/** The same for a browser's session. */
const SEEN_COOKIE = 'gather_lane_seen';

/** The header by which a caller says how far they have seen. One that is not understood is refused: it would not be kept. */
export const seenHeaders = Type.Object({
  [SEEN_HEADER]: Type.Optional(
    Type.String({
      pattern: `^(${UNKNOWN_PLACE}|[0-9A-Fa-f]{1,8}/[0-9A-Fa-f]{1,8})$`,
      description:
        'The `Gather-Seen` of the last reply, or `0/0` of who did and saw nothing yet: with it the page may be read at a standby that has all that the caller has seen',
    }),
  ),
});

/** How far into the log the caller of a request has seen; null where they do not say. */
export function seenOf(request: FastifyRequest): string | null {
  const header = request.headers[SEEN_HEADER];
  if (typeof header === 'string') return header;
  const kept = request.cookies[SEEN_COOKIE];
  return kept !== undefined && readLogPlace(kept) !== null ? kept : null;
}

/** Says in the reply to a read how far what was read reaches. */
export function saySeen(reply: FastifyReply, standbys: Standbys, place: string): void {
  if (standbys.some) void reply.header(SEEN_HEADER, place);
}

/**
 * Says in the reply to each write how far into the log it reaches, so that whoever made it reads nowhere where it is not. What the
 * operator has done may be written by whatever connection: of that it is always asked.
 * @param written through which all else is written
 */
export function useSeen(
  app: FastifyInstance,
  standbys: Standbys,
  written: readonly [DataSource, ...DataSource[]],
): void {
  if (!standbys.some) return;
  const places = new WrittenPlaces();
  for (const each of written) (each as DataSource & Following).followWrites(places);
  const flushed = new FlushedPlace(written[0], places);
  app.addHook('onSend', async (request, reply) => {
    if (READS.has(request.method) || reply.statusCode >= 400) return;
    const known = request.url.startsWith('/v1/operator/') ? null : places.known;
    const place = known ?? (await flushed.now());
    void reply.header(SEEN_HEADER, place);
    if (isInBrowser(request, reply)) void reply.setCookie(SEEN_COOKIE, place, SESSION_COOKIE_OPTIONS);
  });
  app.addHook('onClose', () => flushed.end());
}

/** A data source that tells of what is written through it. */
interface Following {
  followWrites(places: WrittenPlaces): void;
}

const READS = new Set(['GET', 'HEAD', 'OPTIONS']);

/** Whether the caller has a session by cookie, or gets one just now. */
const isInBrowser = (request: FastifyRequest, reply: FastifyReply): boolean =>
  request.cookies[SESSION_COOKIE] !== undefined ||
  String(reply.getHeader('set-cookie') ?? '').includes(`${SESSION_COOKIE}=`);
