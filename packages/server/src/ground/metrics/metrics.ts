import { subscribe, unsubscribe, type ChannelListener } from 'node:diagnostics_channel';
import {
  collectDefaultMetrics,
  Gauge,
  Histogram,
  Registry,
  type OpenMetricsContentType,
  type RegistryContentType,
} from 'prom-client';
import { AcrossProcesses } from './across.js';
import { COMBINED, STATEMENTS, type CombinedActs, type SentStatement } from './channels.js';
import { verbOf } from './measured.js';

/** Bounds of how long something took, in seconds: those that OpenTelemetry's conventions advise for HTTP servers, and one below. */
const SECONDS = [0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10];
const ACTS = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512];

/** A figure that is looked up when somebody asks. */
export interface Figure<Label extends string> {
  readonly name: string;
  readonly help: string;
  readonly labels?: readonly Label[];
  /** What it is of several processes; their sum unless said. */
  readonly across?: 'max';
  /** Its values of now, each with what tells it apart. */
  readonly now: () => Values<Label> | Promise<Values<Label>>;
}
type Values<Label extends string> = readonly {
  readonly value: number;
  readonly of?: Readonly<Record<Label, string>>;
}[];

/** What is measured, with its values of now. */
export interface Measurement {
  readonly name: string;
  readonly help: string;
  readonly kind: string;
  /** Of a histogram the mean of what was observed, and how often. */
  readonly values: { labels: Record<string, string>; value: number; n?: number }[];
}

type Labels = Readonly<Record<string, string | number>>;
/** As the package says it: of a histogram its bounds, sum and count are values of their own. */
interface Measured {
  readonly name: string;
  readonly help: string;
  readonly type: string;
  readonly values: readonly { readonly labels: Labels; readonly value: number; readonly metricName?: string }[];
}

/**
 * What this process measures of itself, in OpenMetrics. Names follow the semantic conventions of OpenTelemetry where these have one, with
 * units at their end as OpenMetrics wants it.
 */
export class Metrics {
  readonly #registry = new Registry<RegistryContentType>();
  readonly #across = new AcrossProcesses(this.#registry);
  readonly #calls: Histogram<'http_request_method' | 'http_route' | 'http_response_status_code'>;
  readonly #statements: Histogram<'db_operation_name' | 'outcome'>;
  readonly #combined: Histogram<'acts'>;
  readonly #verbs = new Map<string, string>();
  readonly #heard: readonly (readonly [string | symbol, ChannelListener])[];

  constructor() {
    this.#registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
    const registers = [this.#registry];
    this.#calls = new Histogram({
      name: 'http_server_request_duration_seconds',
      help: 'How long calls took, by method, route and status',
      labelNames: ['http_request_method', 'http_route', 'http_response_status_code'],
      buckets: SECONDS,
      registers,
    });
    this.#statements = new Histogram({
      name: 'db_client_operation_duration_seconds',
      help: 'How long statements of calls took, by their first word',
      labelNames: ['db_operation_name', 'outcome'],
      buckets: SECONDS,
      registers,
    });
    this.#combined = new Histogram({
      name: 'gather_lane_combined_acts',
      help: 'How many acts were done in one transaction, by what they are',
      labelNames: ['acts'],
      buckets: ACTS,
      registers,
    });
    this.#heard = [
      [STATEMENTS.name, (message) => this.#heardStatement(message as SentStatement)],
      [COMBINED.name, (message) => this.#heardCombined(message as CombinedActs)],
    ];
  }

  /** Begins to listen, and to watch the process: its memory, its processor time, the delay of its event loop. */
  begin(): void {
    for (const [name, listener] of this.#heard) subscribe(name, listener);
    collectDefaultMetrics({ register: this.#registry });
    this.#across.begin();
  }

  /** Listens no more. */
  end(): void {
    this.#across.end();
    for (const [name, listener] of this.#heard) unsubscribe(name, listener);
    this.#registry.clear();
  }

  /** A call was answered. @param route as the API document writes it */
  answered(method: string, route: string, status: number, seconds: number): void {
    this.#calls.observe({ http_request_method: method, http_route: route, http_response_status_code: status }, seconds);
  }

  /** Adds a figure. */
  add<Label extends string = never>({ name, help, labels = [], across, now }: Figure<Label>): void {
    const gauge: Gauge<Label> = new Gauge({
      name,
      help,
      labelNames: [...labels],
      ...(across && { aggregator: across }),
      registers: [this.#registry],
      collect: async () => {
        gauge.reset();
        const values = await now();
        // One without labels is 0 unless it is taken away.
        if (labels.length === 0 && values.length === 0) gauge.remove();
        for (const { value, of } of values)
          if (of) gauge.set(of, value);
          else gauge.set(value);
      },
    });
  }

  /**
   * Everything as OpenMetrics text, and its media type: of all processes of the service that answer, or of this one.
   * @param alone whether those of the others are left out
   */
  async text(alone: boolean): Promise<{ type: OpenMetricsContentType; text: string }> {
    return { type: Registry.OPENMETRICS_CONTENT_TYPE, text: await (await this.#of(alone)).metrics() };
  }

  /** The same as values, without the bounds of histograms. @param alone as above */
  async measurements(alone: boolean): Promise<Measurement[]> {
    const all = (await (await this.#of(alone)).getMetricsAsJSON()) as unknown as Measured[];
    return all.map(({ name, help, type, values }) => ({
      // Once it was written as text, the package leaves the end of a counter's name out.
      name: type === 'counter' ? name.replace(/(_total)?$/, '_total') : name,
      help,
      kind: type,
      values:
        type === 'histogram'
          ? summedUp(values)
          : // The delay of an event loop that was not looked at since the last time is no number.
            values
              .filter(({ value }) => Number.isFinite(value))
              .map(({ labels, value }) => ({ labels: asTexts(labels), value })),
    }));
  }

  async #of(alone: boolean): Promise<Pick<Registry, 'metrics' | 'getMetricsAsJSON'>> {
    return (alone ? null : await this.#across.gathered()) ?? this.#registry;
  }

  #heardStatement({ sql, seconds, failed }: SentStatement): void {
    this.#statements.observe({ db_operation_name: this.#verbOf(sql), outcome: failed ? 'failed' : 'done' }, seconds);
  }

  #heardCombined({ acts, n }: CombinedActs): void {
    this.#combined.observe({ acts }, n);
  }

  /** The texts of statements are few, but for those that hold numbers: these are not kept. */
  #verbOf(sql: string): string {
    const known = this.#verbs.get(sql);
    if (known) return known;
    const verb = verbOf(sql);
    if (this.#verbs.size < 1_000) this.#verbs.set(sql, verb);
    return verb;
  }
}

const asTexts = (labels: Labels): Record<string, string> =>
  Object.fromEntries(Object.entries(labels).map(([name, value]) => [name, String(value)]));

/** The mean and count of each histogram. */
function summedUp(values: Measured['values']): Measurement['values'] {
  const of = (end: string) => values.filter(({ metricName }) => metricName?.endsWith(end));
  const sums = new Map(of('_sum').map(({ labels, value }) => [JSON.stringify(asTexts(labels)), value]));
  return of('_count').map(({ labels, value: n }) => {
    const texts = asTexts(labels);
    return { labels: texts, value: n === 0 ? 0 : (sums.get(JSON.stringify(texts)) ?? 0) / n, n };
  });
}
