/** An event as a reader hears it. */
export interface HeardEvent {
  readonly event: string;
  readonly id: string | undefined;
  readonly data: Record<string, unknown>;
}

/** A reader of a stream of events, over real HTTP. */
export class EventReader {
  readonly heard: HeardEvent[] = [];
  /** The id of the last event, or of a sign of life. */
  lastId: string | undefined;
  status = 0;
  retryAfter: string | null = null;
  /** Whether the service ended it, and how. */
  readonly ended: Promise<void>;
  readonly #abort = new AbortController();
  #waiting: (() => void)[] = [];
  #isOver = false;
  retry: string | undefined;

  constructor(address: string, token: string, options: { query?: string; after?: string } = {}) {
    const headers = { authorization: `Bearer ${token}`, ...(options.after && { 'last-event-id': options.after }) };
    this.ended = this.#read(`${address}/v1/events${options.query ?? ''}`, headers);
  }

  /** Breaks it off. */
  async close(): Promise<void> {
    this.#abort.abort();
    await this.ended;
  }

  /** What was heard of a kind. */
  of(event: string): HeardEvent['data'][] {
    return this.heard.filter((each) => each.event === event).map(({ data }) => data);
  }

  /** Until something is so of what was heard. */
  async until(is: (reader: this) => boolean): Promise<this> {
    while (!is(this)) {
      if (this.#isOver) throw new Error(`The stream ended after ${JSON.stringify(this.heard)}`);
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    return this;
  }

  async #read(url: string, headers: Record<string, string>): Promise<void> {
    try {
      const reply = await fetch(url, { headers, signal: this.#abort.signal });
      this.status = reply.status;
      this.retryAfter = reply.headers.get('retry-after');
      this.#wake();
      let text = '';
      for await (const chunk of reply.body!.pipeThrough(new TextDecoderStream())) {
        text += chunk;
        for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
          this.#take(text.slice(0, end));
          text = text.slice(end + 2);
        }
      }
    } catch {
      // Broken off, by either side.
    } finally {
      this.#isOver = true;
      this.#wake();
    }
  }

  #take(block: string): void {
    const fields = Object.fromEntries(block.split('\n').map((line) => /^([a-z]*): ?(.*)$/.exec(line)?.slice(1) ?? []));
    this.lastId = fields.id ?? this.lastId;
    this.retry = fields.retry ?? this.retry;
    if (fields.data !== undefined)
      this.heard.push({ event: fields.event!, id: fields.id, data: JSON.parse(fields.data) as HeardEvent['data'] });
    this.#wake();
  }

  #wake(): void {
    for (const wake of this.#waiting.splice(0)) wake();
  }
}
