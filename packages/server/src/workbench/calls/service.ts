import { findOperation, type ApiDocument, type FoundOperation, type Trace } from '@gather-lane/core';
import type { InjectOptions, Response } from 'light-my-request';
import type { Pool } from 'pg';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { OperatorKey } from '../../accounts/operator/key.js';
import type { Sessions } from '../../accounts/sessions/service.js';
import type { Users } from '../../accounts/users/service.js';
import type { Blocks } from '../../graph/blocks/service.js';
import { PASS_HEADER } from '../../ground/http/own-check.js';
import { invalid } from '../../ground/http/problem.js';
import { CallScope, runFor } from '../../ground/traces/call-scope.js';
import { Rehearsal } from '../../ground/traces/rehearsal.js';
import type { Recorder } from '../traces/recorder.js';

/** Who a call is made as. */
export interface CallerWish {
  readonly as: string;
  readonly user?: string;
}

/** A call to be made. */
export interface Wish {
  readonly method: string;
  readonly path: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: unknown;
}

/** What a caller met. */
export interface CallOutcome {
  readonly as: string;
  readonly handle: string | null;
  readonly kept: boolean;
  readonly says: string | null;
  readonly status: number | null;
  readonly headers: Record<string, string>;
  readonly body: unknown;
  readonly trace: Trace | null;
}

/** What these are made of. */
export interface CallParts {
  readonly recorder: Recorder;
  readonly database: DataSource;
  readonly sessions: Sessions;
  readonly users: Users;
  readonly blocks: Blocks;
  readonly key: OperatorKey;
  /** By which no limit counts what is called here. */
  readonly pass: string;
  /** Makes a call of the application, without a connection. */
  readonly inject: (call: InjectOptions) => Promise<Response>;
  readonly document: () => ApiDocument;
}

/** A token that was made for an earlier call is used again for so long. */
const TOKEN_GOOD_MS = 10 * 60_000;
/** Headers that say who calls, or whose call it is: nobody sends them along. */
const OURS = [
  'authorization',
  'cookie',
  'host',
  'origin',
  PASS_HEADER,
  'content-length',
  'transfer-encoding',
  'connection',
];

/** Makes calls as whoever is asked for: each through the doorway that everybody comes through. */
export class Calls {
  readonly #parts: CallParts;
  readonly #tokens = new Map<string, { readonly token: string; readonly until: number }>();

  constructor(parts: CallParts) {
    this.#parts = parts;
  }

  /** Really makes a call, as one caller. */
  async make(wish: Wish, caller: CallerWish): Promise<CallOutcome> {
    const who = await this.#who(caller);
    const refused = this.#refusal(wish, true);
    const not =
      refused ?? (who.as === 'blocked' ? 'Nobody is blocked only to see it: try it where it is rolled back.' : null);
    if (not !== null) return notCalled(who, not, true);
    return this.#call(wish, who, await this.#keptToken(who), true);
  }

  /** Makes the same call as each of several callers, on the same state: whatever each does is rolled back. */
  async rehearse(wish: Wish, callers: readonly CallerWish[]): Promise<CallOutcome[]> {
    const people = [];
    for (const caller of callers) people.push(await this.#who(caller));
    const refused = this.#refusal(wish, false);
    const outcomes: CallOutcome[] = [];
    for (const who of people) {
      const owner = who.as === 'blocked' ? await this.#ownerOf(wish) : null;
      const not = refused ?? (who.as === 'blocked' ? whyNotBlocked(who, owner) : null);
      outcomes.push(not === null ? await this.#rehearseAs(wish, who, owner) : notCalled(who, not, false));
    }
    return outcomes;
  }

  async #rehearseAs(wish: Wish, who: Who, owner: string | null): Promise<CallOutcome> {
    const pool = (this.#parts.database.driver as unknown as { master: Pool }).master;
    const client = await pool.connect();
    const rehearsal = new Rehearsal(client);
    let broken: Error | undefined;
    try {
      await client.query('BEGIN');
      const outcome = await runFor([new CallScope(uuidv7(), rehearsal)], async () => {
        if (owner !== null) await this.#parts.blocks.add('blocks', owner, who.id!);
        return this.#call(wish, who, await this.#newToken(who), false);
      });
      await rehearsal.end();
      return outcome;
    } finally {
      await rehearsal.end();
      // Locks of the session are none of the transaction.
      await client.query('ROLLBACK; SELECT pg_advisory_unlock_all()').catch((error: Error) => (broken = error));
      client.release(broken);
    }
  }

  async #call(wish: Wish, who: Who, token: string | null, kept: boolean): Promise<CallOutcome> {
    const { inject, pass, recorder } = this.#parts;
    const entries = Object.entries(wish.headers ?? {}).map(([name, value]) => [name.toLowerCase(), value] as const);
    const reply = await inject({
      method: wish.method as 'GET',
      url: wish.path,
      headers: {
        ...Object.fromEntries(entries.filter(([name]) => !OURS.includes(name))),
        [PASS_HEADER]: pass,
        ...(token !== null && { authorization: `Bearer ${token}` }),
        ...(wish.body !== undefined && { 'content-type': this.#typeOf(wish) }),
      },
      ...(wish.body !== undefined && { payload: JSON.stringify(wish.body) }),
    });
    const headers = Object.fromEntries(
      Object.entries(reply.headers).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
    );
    const id = headers['gather-trace'];
    // Looked for outside of what is rolled back.
    const trace = id === undefined ? null : await runFor([], () => recorder.find(id));
    const isJson = /\bjson\b/.test(headers['content-type'] ?? '');
    const body: unknown = reply.body === '' ? null : isJson ? JSON.parse(reply.body) : reply.body;
    return { as: who.as, handle: who.handle, kept, says: null, status: reply.statusCode, headers, body, trace };
  }

  /** @throws Problem for a user who is not named, or not there */
  async #who({ as, user }: CallerWish): Promise<Who> {
    if (as === 'nobody' || as === 'operator') return { as, id: null, handle: null };
    if (user === undefined) throw invalid('/callers', `names no user for "${as}": say which, by id or @handle`);
    const id = await this.#parts.users.requireAny(user);
    const [row] = await this.#parts.database.query<{ handle: string }[]>(`SELECT handle FROM users WHERE id = $1`, [
      id,
    ]);
    return { as, id, handle: row?.handle ?? null };
  }

  /** Who owns what a path names: the author of a post or comment, or the user; null where it names nobody's. */
  async #ownerOf(wish: Wish): Promise<string | null> {
    const template = this.#operation(wish)?.template.split('/') ?? [];
    const parts = wish.path.split('?')[0]!.split('/');
    const named = (name: string) => parts[template.indexOf(`{${name}}`)];
    for (const [name, sql] of OWNERS) {
      const id = named(name);
      if (id === undefined || !UUID.test(id)) continue;
      const [row] = await this.#parts.database.query<{ id: string }[]>(sql, [id]);
      return row?.id ?? null;
    }
    const user = named('user');
    return user === undefined ? null : this.#parts.users.requireAny(decodeURIComponent(user));
  }

  async #keptToken(who: Who): Promise<string | null> {
    const known = this.#tokens.get(who.id ?? '');
    if (who.as === 'user' && known && known.until > Date.now()) return known.token;
    const token = await this.#newToken(who);
    if (who.as === 'user') this.#tokens.set(who.id!, { token: token!, until: Date.now() + TOKEN_GOOD_MS });
    return token;
  }

  async #newToken({ as, id }: Who): Promise<string | null> {
    const { sessions, key } = this.#parts;
    if (as === 'nobody') return null;
    if (as === 'operator') return key.bearer;
    const token = (await sessions.actAs(id!)).accessToken!;
    if (as === 'ended') await sessions.end((await sessions.check(token))!.id!, 'ended');
    return token;
  }

  /** Why a call is not made here, or null. */
  #refusal(wish: Wish, kept: boolean): string | null {
    const found = this.#operation(wish);
    if (!found) return null;
    const { requestBody, responses, 'x-lasting': lasting } = found.operation;
    if (Object.keys(responses?.['200']?.content ?? {}).includes('text/event-stream'))
      return 'It opens a stream, which does not end: follow it with `gather-lane notifications --follow`, the client, or curl -N.';
    if (Object.keys(requestBody?.content ?? {}).includes('multipart/form-data'))
      return 'It takes a file, which cannot be sent from here: use the client, or curl -F.';
    return kept || lasting === undefined ? null : `It cannot be rolled back: ${lasting}.`;
  }

  #operation({ method, path }: Wish): FoundOperation | null {
    return findOperation(this.#parts.document(), method, path);
  }

  #typeOf(wish: Wish): string {
    const types = Object.keys(this.#operation(wish)?.operation.requestBody?.content ?? {});
    return types.includes('application/json') || types.length === 0 ? 'application/json' : types[0]!;
  }
}

const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
/** Whose something is that a path names. */
const OWNERS = [
  ['comment', `SELECT author_id AS id FROM comments WHERE id = $1`],
  ['post', `SELECT author_id AS id FROM posts WHERE id = $1`],
] as const;

function whyNotBlocked({ id, handle }: Who, owner: string | null): string | null {
  if (owner === null) return 'The path names nothing of anybody’s, so nobody could block them.';
  return owner === id ? `It is @${handle}’s own: nobody blocks themselves.` : null;
}

/** A caller who was found. */
interface Who {
  readonly as: string;
  readonly id: string | null;
  readonly handle: string | null;
}

const notCalled = ({ as, handle }: Who, says: string, kept: boolean): CallOutcome => ({
  as,
  handle,
  kept,
  says,
  status: null,
  headers: {},
  body: null,
  trace: null,
});
