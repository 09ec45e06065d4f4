import { laterPlace } from '@gather-lane/core';
import type { FastifyReply, FastifyRequest } from 'fastify';
import type { DataSource } from 'typeorm';
import type { Querying } from '../database/hot-transaction.js';
import { prepared } from '../database/prepared.js';
import { rowsOf, together } from '../database/together.js';
import { linkNext } from '../http/pagination.js';
import type { PublicAddress } from '../http/public-address.js';
import { REACHES } from './reaches.js';
import { saySeen, seenOf } from './seen.js';
import type { Standby } from './standby.js';
import type { Standbys } from './standbys.js';

/** How far somebody has seen who did and saw nothing yet. */
const NOTHING_YET = '0/0';

/** Asked along with each statement of a list, after it. Cost: 20 µs. */
const HOW_FAR = { sql: prepared(`SELECT ${REACHES} AS place`), parameters: [] };

/**
 * Where lists are read, as pages of feeds are: at a standby that has replayed all that the caller did and saw, or at the primary. Whether
 * they may see whose list it is has been decided by then, at the primary.
 */
export class Lists {
  readonly #primary: DataSource;
  readonly #standbys: Standbys;
  readonly #address: PublicAddress;

  constructor(primary: DataSource, standbys: Standbys, address: PublicAddress) {
    this.#primary = primary;
    this.#standbys = standbys;
    this.#address = address;
  }

  /** Reads for a call, and says in its reply how far what was read reaches. @param work is given where it reads, which is one server */
  async read<T>(request: FastifyRequest, reply: FastifyReply, work: (at: Querying) => Promise<T>): Promise<T> {
    if (!this.#standbys.some) return work(this.#primary);
    const reading = new Reading(this.#primary, this.#standbys.at(seenByCaller(request)));
    const read = await work(reading);
    if (reading.reached !== null) saySeen(reply, this.#standbys, reading.reached);
    return read;
  }

  /** Reads a page for a call; its reply links to the next one. */
  async page<P extends { readonly next: string | null }>(
    request: FastifyRequest,
    reply: FastifyReply,
    work: (at: Querying) => Promise<P>,
  ): Promise<P> {
    const page = await this.read(request, reply, work);
    linkNext(request, reply, this.#address.base, page.next);
    return page;
  }
}

/** How far a caller has seen; null where they do not say. Who did not sign in has done nothing that they would miss. */
const seenByCaller = (request: FastifyRequest): string | null =>
  seenOf(request) ?? (request.principal.caller.kind === 'nobody' ? NOTHING_YET : null);

/** The statements of one list, all at one server, as long as that answers. */
class Reading implements Querying {
  /** How far what was read reaches; null before anything was. */
  reached: string | null = null;
  readonly #primary: DataSource;
  #beside: Standby | null;

  constructor(primary: DataSource, beside: Standby | null) {
    this.#primary = primary;
    this.#beside = beside;
  }

  async query<T>(sql: string, parameters: unknown[] = []): Promise<T> {
    const statements = [{ sql, parameters }, HOW_FAR];
    const beside = await this.#beside?.askAll(statements);
    if (!beside) this.#beside = null;
    const [outcome, far] = beside ?? (await together(this.#primary, statements));
    const rows = rowsOf(outcome!);
    const [{ place }] = rowsOf<{ place: string }>(far!) as [{ place: string }];
    this.reached = this.reached === null ? place : laterPlace(this.reached, place);
    return rows as T;
  }
}
