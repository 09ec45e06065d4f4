import { ServiceTooSlow, ServiceUnreachable } from './client.js';

/** A call of any service. */
export interface AnyCall {
  readonly method: string;
  /** With its query. */
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  /** Sent as JSON; undefined for none. */
  readonly body: unknown;
  /** Milliseconds that the reply may take, its end included. */
  readonly withinMs: number;
}

/** What came back. */
export interface AnyReply {
  readonly status: number;
  /** By names in small letters. */
  readonly headers: Readonly<Record<string, string>>;
  /** As JSON where it is; else as text; undefined for none. */
  readonly body: unknown;
}

/** More than so much of a reply is not read. */
const MOST_BYTES = 20 * 1024 * 1024;

/**
 * Makes a call of any service, by its address.
 * @throws ServiceUnreachable, ServiceTooSlow
 */
export async function callAny(address: string, { method, path, headers, body, withinMs }: AnyCall): Promise<AnyReply> {
  const at = `${address.replace(/\/+$/, '')}${path}`;
  const signal = AbortSignal.timeout(withinMs);
  const hasBody = body !== undefined && method !== 'GET' && method !== 'HEAD';
  const lower = Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]));
  try {
    const reply = await fetch(at, {
      method,
      headers: { ...(hasBody && { 'content-type': 'application/json' }), ...lower },
      ...(hasBody && { body: JSON.stringify(body) }),
      redirect: 'manual',
      credentials: 'omit',
      signal,
    });
    const text = await textOf(reply);
    const isJson = /\bjson\b/.test(reply.headers.get('content-type') ?? '');
    return {
      status: reply.status,
      headers: Object.fromEntries(reply.headers),
      body: text === '' ? undefined : isJson ? parsed(text) : text,
    };
  } catch (error) {
    if (signal.aborted) throw new ServiceTooSlow(address, withinMs, { cause: error });
    throw new ServiceUnreachable(address, { cause: error });
  }
}

async function textOf(reply: Response): Promise<string> {
  const decoder = new TextDecoder();
  let text = '';
  const reader = reply.body?.getReader();
  for (;;) {
    const part = await reader?.read();
    if (!part || part.done) return text + decoder.decode();
    text += decoder.decode(part.value, { stream: true });
    if (text.length > MOST_BYTES) {
      await reader!.cancel();
      return text;
    }
  }
}

/** What says that it is JSON and is not comes as it is. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
