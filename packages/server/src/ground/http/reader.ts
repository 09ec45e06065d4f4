import type { FastifyRequest } from 'fastify';
import type { DataSource } from 'typeorm';
import type { Outcome, Statement } from '../database/together.js';
import type { SignedIn } from './principal.js';
import { Problem } from './problem.js';

/** What came of a statement that was sent for somebody, and who that is. */
export interface Answer<T> {
  readonly viewer: SignedIn;
  readonly outcome: Outcome<T>;
}

/** A server beside the primary at which may be read; null where it did not answer well, so that the primary must be asked. */
export interface Beside {
  ask(statement: Statement): Promise<Outcome | null>;
}

/** The session that a statement is to look at, and the key of its token; nulls where it is known already whether that is alive. */
export type SessionAsked = readonly [session: string | null, key: string | null];
/** Of a statement that need not look. */
export const NO_SESSION: SessionAsked = [null, null];

/** A row of a statement that looks at a session too: its first says what it found. */
export interface SessionLooked {
  readonly session: unknown;
}

/** Reads for a signed-in caller, of whom it may be known by then only what their token says. */
export interface Reader {
  readonly userId: string;
  /** Who they are, once that is known. @throws Problem `bad-token` where their session has ended */
  confirm(): Promise<SignedIn>;
  /**
   * Sends a statement, which looks whether their session is alive where that is not known yet.
   * @param parameters of it, with the session that it is to look at
   * @param beside where it is read if that works; the session is looked at on the primary even so
   * @throws Problem `bad-token`
   */
  ask<T extends SessionLooked>(
    sql: string,
    parameters: (session: SessionAsked) => unknown[],
    beside?: Beside | null,
  ): Promise<Answer<T>>;
}

/** Reads for somebody whose session was looked at. */
export const readerOf = (dataSource: DataSource, viewer: SignedIn): Reader => ({
  userId: viewer.userId,
  confirm: () => Promise.resolve(viewer),
  ask: async <T>(sql: string, parametersFor: (session: SessionAsked) => unknown[], beside: Beside | null = null) => {
    const parameters = parametersFor(NO_SESSION);
    const found = await beside?.ask({ sql, parameters });
    if (found) return { viewer, outcome: found as Outcome<T> };
    try {
      return { viewer, outcome: { rows: await dataSource.query<T[]>(sql, parameters) } };
    } catch (error) {
      return { viewer, outcome: { error } };
    }
  },
});

/** Reads for the caller of a route whose rule asks for one. */
export function readerFor(request: FastifyRequest, dataSource: DataSource): Reader {
  const { session, unconfirmed } = request.principal;
  if (session) return readerOf(dataSource, session);
  if (unconfirmed) return unconfirmed;
  throw new Problem('not-signed-in', 'This call needs an access token.');
}
