import type { Worker } from 'node:cluster';
import { GATHERED_WITHIN_MS, type Figures, type MetricsMessage } from '../../ground/metrics/across.js';

/** A process that was killed just now hears nothing more; unheard, that would end this one. */
const gone = (): void => undefined;

/** What was told for a question so far. */
interface Gathering {
  readonly of: Figures[];
  readonly tell: () => void;
  pending: number;
}

/** Gathers what all processes measure, for the one of them that was asked for it. */
export class MetricsGatherer {
  readonly #all: () => readonly Worker[];
  readonly #gathering = new Map<string, Gathering>();

  /** @param all the processes that live */
  constructor(all: () => readonly Worker[]) {
    this.#all = all;
  }

  /** Listens to a process. */
  hear(worker: Worker): void {
    worker.on('message', (message: MetricsMessage) => {
      if (message.metrics === 'wanted') this.#gather(message.id, worker);
      else if (message.metrics === 'told') this.#told(message.id, message.of);
    });
  }

  #gather(id: string, by: Worker): void {
    const asked = this.#all().filter((worker) => worker.isConnected());
    const of: Figures[] = [];
    const tell = () => {
      if (this.#gathering.delete(id) && by.isConnected())
        by.send({ metrics: 'gathered', id, of } satisfies MetricsMessage, gone);
    };
    this.#gathering.set(id, { of, tell, pending: asked.length });
    setTimeout(tell, GATHERED_WITHIN_MS).unref();
    for (const worker of asked) worker.send({ metrics: 'asked', id } satisfies MetricsMessage, gone);
  }

  #told(id: string, of: Figures): void {
    const gathering = this.#gathering.get(id);
    if (!gathering) return;
    gathering.of.push(of);
    if (--gathering.pending === 0) gathering.tell();
  }
}
