import createFetch, { type Client as FetchClient } from 'openapi-fetch';
import type { paths } from './generated/api.js';
import { laterPlace } from './later-place.js';
import type { Problem } from './shapes.js';

/** A typed client of one service: `client.GET('/v1/posts/{post}', { params: { path: { post } } })`. */
export type Client = FetchClient<paths>;

/** How a client is made. */
export interface ClientOptions {
  /** Where the service is, such as `http://127.0.0.1:7461`; a base path is kept. */
  readonly address: string;
  /** The access token or operator key to send; asked before every call. */
  readonly token?: () => string | null | Promise<string | null>;
  /** Asked once when a call was refused for want of a good credential: true when it should be made once more. */
  readonly renew?: (refusal: Response) => Promise<boolean>;
  /** Sends a call; the platform's own unless said. */
  readonly fetch?: (request: Request) => Promise<Response>;
  /**
   * How long a reply may take, in milliseconds; 0 for ever. Unless said 30 seconds, and ten minutes for uploads and
   * the operator's calls, some of which look at everything.
   */
  readonly timeoutMs?: number;
}

const TIMEOUT_MS = 30_000;
const LONG_TIMEOUT_MS = 600_000;

/** A call that the service refused, with its RFC 9457 problem. */
export class ServiceProblem extends Error {
  override readonly name = 'ServiceProblem';

  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.detail);
  }

  /** The last part of the problem's type, such as `not-yours`. */
  get code(): string {
    return this.problem.type.split('/').at(-1) ?? '';
  }
}

/** The service did not answer at all, or not in time. */
export class ServiceUnreachable extends Error {
  override readonly name: string = 'ServiceUnreachable';

  constructor(
    readonly address: string,
    options?: ErrorOptions,
  ) {
    super(`Nothing answers at ${address}.`, options);
  }
}

/** The service took a call and did not answer in time: whether it did what it was asked is not known. */
export class ServiceTooSlow extends ServiceUnreachable {
  override readonly name = 'ServiceTooSlow';

  constructor(address: string, timeoutMs: number, options?: ErrorOptions) {
    super(address, options);
    this.message = `${address} has not answered within ${timeoutMs / 1000} s. Whether it did what it was asked is not known: look before you try again.`;
  }
}

/** Makes a client. It throws ServiceUnreachable when nothing answers; other failures are in the reply. */
export function createClient(options: ClientOptions): Client {
  const { address, token, renew, fetch = globalThis.fetch } = options;
  let seen: string | null = null;
  const send = async (request: Request): Promise<Response> => {
    const credential = await token?.();
    if (credential) request.headers.set('authorization', `Bearer ${credential}`);
    // Whoever reads at a standby sees what they did and saw before.
    if (seen !== null) request.headers.set(SEEN, seen);
    const timeoutMs = options.timeoutMs ?? (MAY_TAKE_LONG.test(request.url) ? LONG_TIMEOUT_MS : TIMEOUT_MS);
    try {
      const reply = await fetch(
        timeoutMs > 0 ? new Request(request, { signal: limited(request, timeoutMs) }) : request,
      );
      const come = reply.headers.get(SEEN);
      if (come !== null) seen = laterPlace(seen, come);
      return reply;
    } catch (error) {
      if ((error as Error).name === 'TimeoutError') throw new ServiceTooSlow(address, timeoutMs, { cause: error });
      if (request.signal.aborted) throw error;
      throw new ServiceUnreachable(address, { cause: error });
    }
  };
  return createFetch<paths>({
    baseUrl: address.replace(/\/+$/, ''),
    fetch: async (request) => {
      const again = renew && request.headers.get('authorization') === null ? request.clone() : null;
      const reply = await send(request);
      if (reply.status !== 401 || !again || (token && !(await token()))) return reply;
      return (await renew!(reply)) ? send(again) : reply;
    },
  });
}

/** How far into the log of the service's database its replies reach: kept, so that no page is older than what was done. */
const SEEN = 'gather-seen';

const MAY_TAKE_LONG = /\/v1\/(?:operator\/|media$)/;

const limited = (request: Request, timeoutMs: number): AbortSignal =>
  AbortSignal.any([request.signal, AbortSignal.timeout(timeoutMs)]);

/**
 * The data of a reply.
 * @throws ServiceProblem when the service refused the call
 */
export function unwrap<T>({ data, error, response }: { data?: T; error?: unknown; response: Response }): T {
  if (response.ok) return data as T;
  const problem = isProblem(error)
    ? error
    : {
        type: 'about:blank',
        title: response.statusText,
        status: response.status,
        detail: `The service answered ${response.status}.`,
        instance: response.url,
      };
  throw new ServiceProblem(response.status, problem);
}

const isProblem = (value: unknown): value is Problem =>
  typeof value === 'object' && value !== null && 'detail' in value && 'type' in value;
