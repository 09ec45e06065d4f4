import type { Caller, DoorwayRule, Owned } from '@gather-lane/core';
import type { FastifyRequest } from 'fastify';
import { Type } from 'typebox';
import type { Principal, SignedIn } from './principal.js';
import { Problem } from './problem.js';

declare module 'fastify' {
  interface FastifyContextConfig {
    /** Who may call the route; the service does not start while one has none. */
    doorway?: DoorwayRule;
    /**
     * Whether the route only reads, and looks itself whether the session of its caller is alive, along with what it reads. Nothing
     * good is replied before it has.
     */
    confirms?: true;
    /** Why what it does cannot be rolled back; left out where it can. */
    lasting?: string;
  }
  interface FastifyRequest {
    principal: Principal;
  }
}

/** Finds the owner of a thing by what the path says, or null when it is not there for this caller. */
export type FindOwned = (reference: string, caller: Caller) => Promise<Owned | null>;

/** The version that `If-Match` names, or undefined when there is no such header or it takes any. */
export function ifMatchOf(request: FastifyRequest): number | undefined {
  const header = request.headers['if-match'];
  if (header === undefined || header === '*') return undefined;
  const version = /^"(\d{1,9})"$/.exec(header)?.[1];
  // Any other text is some version that is not the current one.
  return version === undefined ? -1 : Number(version);
}

/** The header by which a caller says which version they mean. */
export const ifMatchHeaders = Type.Object({
  'if-match': Type.Optional(
    Type.String({
      description: 'The `ETag` of what was read: if it has changed since, nothing is done and the answer is 412',
    }),
  ),
});

/** The `ETag` of a thing that counts its edits. */
export const etagOf = (version: number): string => `"${version}"`;

/** The signed-in session of a request whose rule asks for one. */
export function signedIn(request: FastifyRequest): SignedIn {
  if (!request.principal.session) throw new Problem('not-signed-in', 'This call needs an access token.');
  return request.principal.session;
}

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;

/**
 * An id from a path, in lower case.
 * @throws Problem `malformed` when it cannot be an id
 */
export function readId(text: string, name: string): string {
  if (!UUID.test(text))
    throw new Problem('malformed', `${name} must be an id (a UUID), but is "${text}".`, [
      { pointer: `/${name}`, detail: 'must be a UUID' },
    ]);
  return text.toLowerCase();
}
