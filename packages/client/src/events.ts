import { EventSourceParserStream } from 'eventsource-parser/stream';
import { ServiceProblem, ServiceUnreachable, type ClientOptions } from './client.js';
import type { Newer, Notification, PostTallies, Problem, Unseen } from './shapes.js';

/** What a stream tells, with the id from which it can be taken up again. */
export type ServiceEvent = { readonly id: string | undefined } & (
  | { readonly event: 'notification'; readonly data: Notification }
  | { readonly event: 'unseen'; readonly data: Unseen }
  | { readonly event: 'newer'; readonly data: Newer }
  | {
      readonly event: 'tallies';
      readonly data: { readonly items: readonly { readonly postId: string; readonly tallies: PostTallies }[] };
    }
  /** It cannot be known what was missed: read afresh. */
  | { readonly event: 'reset'; readonly data: Record<string, never> }
);

/** What a stream is asked for. */
export interface EventsOptions extends Pick<ClientOptions, 'address' | 'token' | 'renew' | 'fetch'> {
  /** Ids of posts on screen, at most 100, whose counts are told. */
  readonly posts?: readonly string[];
  /** The `first` of the feed on screen, above which posts are counted. */
  readonly than?: string;
  /** The id of the last event that was heard, to take up from there. */
  readonly after?: string;
  /** Ends it. */
  readonly signal?: AbortSignal;
}

const RETRY_MS = 2_000;
/** The service says that it lives every 15 seconds: one that says nothing for so long is not there any more. */
const SILENT_MS = 45_000;

/**
 * What happens to the caller, as it happens. It comes back by itself where the stream breaks off, and takes up where it was.
 * @throws ServiceProblem where the service refuses it, as when the session has ended
 */
export async function* followEvents(options: EventsOptions): AsyncGenerator<ServiceEvent> {
  let { after } = options;
  let retryMs = RETRY_MS;
  const said = { retry: (ms: number) => (retryMs = ms), at: (id: string) => (after = id) };
  while (!options.signal?.aborted) {
    try {
      for await (const { event = 'message', data, id } of oneStream(options, after, said)) {
        after = id ?? after;
        yield { id: after, event, data: JSON.parse(data) as never } as ServiceEvent;
      }
    } catch (error) {
      if (options.signal?.aborted) return;
      if (error instanceof ServiceProblem && ![429, 503].includes(error.status)) throw error;
    }
    await pause(retryMs, options.signal);
  }
}

async function* oneStream(
  { address, token, renew, fetch = globalThis.fetch, posts = [], than, signal }: EventsOptions,
  after: string | undefined,
  said: { readonly retry: (ms: number) => void; readonly at: (id: string) => void },
) {
  const query = new URLSearchParams({ ...(posts.length > 0 && { posts: posts.join(',') }), ...(than && { than }) });
  const silent = new AbortController();
  let timer = setTimeout(() => silent.abort(), SILENT_MS);
  const beat = () => {
    clearTimeout(timer);
    timer = setTimeout(() => silent.abort(), SILENT_MS);
  };
  try {
    const ask = async () => {
      const credential = await token?.();
      const request = new Request(`${address.replace(/\/+$/, '')}/v1/events?${query.toString()}`, {
        headers: {
          accept: 'text/event-stream',
          ...(credential && { authorization: `Bearer ${credential}` }),
          ...(after && { 'last-event-id': after }),
        },
        signal: signal ? AbortSignal.any([signal, silent.signal]) : silent.signal,
      });
      return fetch(request).catch((error: unknown) => {
        throw new ServiceUnreachable(address, { cause: error });
      });
    };
    let reply = await ask();
    if (reply.status === 401 && (await renew?.(reply))) reply = await ask();
    if (!reply.ok) throw new ServiceProblem(reply.status, (await reply.json()) as Problem);
    const events = reply.body!.pipeThrough(new TextDecoderStream()).pipeThrough(
      new EventSourceParserStream({
        onRetry: said.retry,
        onComment: (text) => {
          beat();
          const at = /^at (\S+)$/.exec(text.trim())?.[1];
          if (at) said.at(at);
        },
      }),
    );
    for await (const event of events as unknown as AsyncIterable<{ event?: string; data: string; id?: string }>) {
      beat();
      yield event;
    }
  } finally {
    clearTimeout(timer);
  }
}

const pause = (ms: number, signal: AbortSignal | undefined): Promise<void> =>
  new Promise((resolve) => {
    const timer = setTimeout(done, ms);
    function done(): void {
      clearTimeout(timer);
      signal?.removeEventListener('abort', done);
      resolve();
    }
    signal?.addEventListener('abort', done, { once: true });
  });
