import cluster from 'node:cluster';
import { randomUUID } from 'node:crypto';
import { AggregatorRegistry, Registry, type RegistryContentType } from 'prom-client';

/** The figures of a process, as they can be sent to another. */
export type Figures = Awaited<ReturnType<Registry['getMetricsAsJSON']>>;

/** What processes of one service say to the one that keeps them, and it to them, about what they measure. */
export type MetricsMessage =
  | { readonly metrics: 'wanted'; readonly id: string }
  | { readonly metrics: 'asked'; readonly id: string }
  | { readonly metrics: 'told'; readonly id: string; readonly of: Figures }
  | { readonly metrics: 'gathered'; readonly id: string; readonly of: readonly Figures[] };

/** The package's own, whose declaration knows one of its parameters alone. */
const aggregate = AggregatorRegistry.aggregate as unknown as (
  all: readonly Figures[],
  type: RegistryContentType,
) => Registry;

/** Whoever has not answered by then is left out, in milliseconds. */
export const GATHERED_WITHIN_MS = 2_000;
/** The keeper answers within the above; where it is gone, nothing is gathered. */
const NOBODY_MS = 2 * GATHERED_WITHIN_MS;

/** What all processes of a service measure, by way of the one that keeps them. */
export class AcrossProcesses {
  readonly #own: Registry<RegistryContentType>;
  readonly #waiting = new Map<string, (of: readonly Figures[]) => void>();
  readonly #hear = (message: unknown) => void this.#heard(message as MetricsMessage);

  constructor(own: Registry<RegistryContentType>) {
    this.#own = own;
  }

  /** Answers when it is asked. */
  begin(): void {
    if (cluster.isWorker) process.on('message', this.#hear);
  }

  end(): void {
    process.removeListener('message', this.#hear);
  }

  /** The figures of all processes, each summed up or its greatest; null for a service of one, or where nobody answers. */
  async gathered(): Promise<Registry | null> {
    if (!cluster.isWorker) return null;
    const id = randomUUID();
    const all = await new Promise<readonly Figures[]>((resolve) => {
      this.#waiting.set(id, resolve);
      setTimeout(resolve, NOBODY_MS, []).unref();
      process.send!({ metrics: 'wanted', id } satisfies MetricsMessage);
    });
    this.#waiting.delete(id);
    if (all.length === 0) return null;
    return aggregate(all, Registry.OPENMETRICS_CONTENT_TYPE);
  }

  async #heard(message: MetricsMessage): Promise<void> {
    if (message.metrics === 'gathered') this.#waiting.get(message.id)?.(message.of);
    if (message.metrics !== 'asked') return;
    const of = await this.#own.getMetricsAsJSON();
    process.send!({ metrics: 'told', id: message.id, of } satisfies MetricsMessage);
  }
}
