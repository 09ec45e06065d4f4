import { STATUS_CODES } from 'node:http';
import type { Socket } from 'node:net';
import type { ConnectionError, FastifyError, FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { StoreGone } from '../../accounts/media/store.js';
import type { ProblemCode } from '../../ground/http/problem-catalogue.js';
import { isDatabaseGone, isDiskFull, isTooSlow, OutcomeUnknown } from '../../ground/database/gone.js';
import { sqlState } from '../../ground/database/transaction.js';
import { SESSION_COOKIE, SESSION_COOKIE_OPTIONS } from '../../ground/http/principal.js';
import { Problem } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';

/** Fastify's own refusals, as our problems. */
const FRAMEWORK: Record<string, [ProblemCode, string]> = {
  FST_ERR_CTP_INVALID_MEDIA_TYPE: ['wrong-media-type', 'Send the body as JSON, with `Content-Type: application/json`.'],
  FST_REQ_FILE_TOO_LARGE: ['too-large', 'The file is larger than 8 MB: make it smaller first.'],
  FST_FILES_LIMIT: ['malformed', 'More than one file came: send pictures one by one.'],
  FST_PARTS_LIMIT: ['malformed', 'The request has more parts than a picture needs.'],
  FST_FIELDS_LIMIT: ['malformed', 'The request has more fields than a picture needs.'],
  FST_ERR_CTP_EMPTY_JSON_BODY: [
    'malformed',
    'The body is empty, but its Content-Type says JSON: send JSON, or no Content-Type.',
  ],
  FST_ERR_CTP_INVALID_JSON_BODY: ['malformed', 'The body is not well-formed JSON.'],
  FST_ERR_CTP_INVALID_CONTENT_LENGTH: ['malformed', 'The body is not as long as Content-Length says.'],
  FST_ERR_CTP_BODY_TOO_LARGE: ['too-large', 'The body is larger than 256 KiB.'],
  FST_ERR_BAD_URL: [
    'malformed',
    'The path is not well-formed: a % stands for a character, with two hexadecimal digits.',
  ],
  FST_ERR_MAX_PARAM_LENGTH: ['malformed', 'A part of the path has more than 100 characters.'],
};

/** Answers every error as RFC 9457 problem details; what was not foreseen shows a request id and nothing of the inside. */
export function useProblems(app: FastifyInstance, address: PublicAddress): void {
  app.setErrorHandler((error: FastifyError | Problem, request, reply) => {
    const problem = isFile(error, request) ? WRONG_PLACE_FOR_A_FILE : toProblem(error);
    if (problem.status >= 500)
      request.log.error({ err: error }, problem.code === 'internal' ? 'unforeseen error' : problem.code);
    return sendProblem(reply, request, address, problem);
  });
  app.setNotFoundHandler((request, reply) =>
    sendProblem(
      reply,
      request,
      address,
      new Problem(
        'not-found',
        `There is no ${request.method} ${request.url.split('?')[0]}: see ${address.to('/docs/api')}.`,
      ),
    ),
  );
}

/** A file that came where it would be lost. */
const isFile = (error: FastifyError | Problem, request: FastifyRequest): boolean =>
  error.code === 'FST_ERR_CTP_INVALID_MEDIA_TYPE' &&
  /^(multipart\/form-data|image\/)/i.test(request.headers['content-type'] ?? '');

const WRONG_PLACE_FOR_A_FILE = new Problem(
  'wrong-media-type',
  'A picture is uploaded by itself, with POST /v1/media as multipart/form-data and the file in the field `file`; then the `id` that comes back is named in `media` here, as JSON.',
);

function toProblem(error: FastifyError | Problem): Problem {
  if (error instanceof Problem) return error;
  const known = FRAMEWORK[error.code];
  if (known) return new Problem(...known);
  // A NUL, wherever it came in: PostgreSQL holds no text with one.
  if (sqlState(error) === '22021')
    return new Problem('malformed', 'A text holds the NUL character (U+0000), which cannot be stored: remove it.');
  if (error instanceof OutcomeUnknown)
    return new Problem(
      'outcome-unknown',
      'The database went away while this was being written: it may have been done, or not. Send it again with the same Idempotency-Key, or look first.',
    );
  if (isDatabaseGone(error)) return new Problem('no-database', 'The database does not answer: try again in a moment.');
  if (isTooSlow(error))
    return new Problem('too-slow', 'The database took too long, and the call was given up: try again in a moment.');
  if (error instanceof StoreGone)
    return new Problem('no-media-store', 'Where pictures are kept does not answer, or refuses: try again in a moment.');
  if (isDiskFull(error)) return new Problem('no-space', 'There is no room left on the disk. Nothing was half done.');
  if (error.statusCode === 429) return new Problem('too-often', error.message);
  if (error.statusCode === 412)
    return new Problem('stale', 'The file is not the one that `If-Match` or `If-Unmodified-Since` names.');
  if (error.statusCode === 416) return new Problem('bad-range', 'The file has no such range: ask within its length.');
  if (error.statusCode === 413) return new Problem('too-large', error.message);
  if (/unexpected end of (?:form|multipart data|file)/i.test(error.message))
    return new Problem(
      'malformed',
      'The upload ends before its last part does: it was cut off on its way. Send it again.',
    );
  if (/Boundary not found|Malformed content type/i.test(error.message))
    return new Problem(
      'wrong-media-type',
      'The Content-Type of the upload names no boundary: let your client write it.',
    );
  if (error instanceof SyntaxError || error.statusCode === 400) return new Problem('malformed', error.message);
  return new Problem('internal', 'Something went wrong on our side. Nothing was half done.');
}

/** Answers with problem details, past the reply schema of whatever route was called. */
export function sendProblem(
  reply: FastifyReply,
  request: FastifyRequest,
  address: PublicAddress,
  problem: Problem,
): FastifyReply {
  request.problem = problem.code;
  const instance = problem.status >= 500 ? `urn:uuid:${request.id}` : request.url;
  if (problem.status === 503 && !problem.retryAfterSeconds) void reply.header('retry-after', '2');
  if (problem.code === 'stopping') void reply.header('connection', 'close');
  // Else the browser would send it again and again, and not even be nobody.
  if (problem.code === 'ended-cookie') void reply.clearCookie(SESSION_COOKIE, SESSION_COOKIE_OPTIONS);
  if (problem.retryAfterSeconds) void reply.header('retry-after', String(problem.retryAfterSeconds));
  if (problem.status === 401) void reply.header('www-authenticate', 'Bearer');
  // Serialised here, so that a route's own reply schema has no say in it.
  return reply
    .code(problem.status)
    .type('application/problem+json')
    .serializer((body: unknown) => JSON.stringify(body))
    .send(problem.toReply(address.base, instance));
}

/** What a request that never became one is answered: too large a head, one that is not HTTP, one that does not end. */
export function answerBrokenRequest(error: ConnectionError, socket: Socket, address: PublicAddress): void {
  if (error.code === 'ECONNRESET' || socket.destroyed || !socket.writable) return void socket.destroy();
  const problem =
    error.code === 'HPE_HEADER_OVERFLOW'
      ? new Problem('headers-too-large', 'The headers are larger than 16 KiB together: send fewer, or shorter ones.')
      : error.code === 'ERR_HTTP_REQUEST_TIMEOUT'
        ? new Problem('too-slow-request', 'The request did not arrive in time: send it whole, and at once.')
        : new Problem('malformed', 'The request is not well-formed HTTP.');
  const body = JSON.stringify(problem.toReply(address.base, 'about:blank'));
  const { status } = problem;
  socket.end(
    `HTTP/1.1 ${status} ${STATUS_CODES[status]}\r\nContent-Type: application/problem+json\r\nContent-Length: ${Buffer.byteLength(body)}\r\nConnection: close\r\n\r\n${body}`,
  );
}

/** What a request is answered whose path fits no route's form; no hook has seen it. */
export function answerUnroutable(
  error: FastifyError,
  request: FastifyRequest,
  reply: FastifyReply,
  address: PublicAddress,
): void {
  void sendProblem(reply, request, address, toProblem(error));
}
