import { setTimeout as pause } from 'node:timers/promises';
import type { FastifyInstance } from 'fastify';
import { Problem } from '../../ground/http/problem.js';

/** A call that was on its way when the service began to stop is still answered. */
const SETTLE_MS = 100;
const LOOK_MS = 20;

/** Hears of a call that ended: its method, its route as the API document writes it, its status, and seconds. */
type Answered = (method: string, route: string, status: number, seconds: number) => void;

/** The calls that are under way; and, once the service stops, the refusal of new ones. */
export class CallsUnderWay {
  #underWay = 0;
  #stopping = false;

  /** How many there are. */
  get size(): number {
    return this.#underWay;
  }

  /**
   * Counts the calls of an application. To be added before any other hook.
   * @param answered told of each call that ended
   */
  use(app: FastifyInstance, answered: Answered): void {
    app.addHook('onRequest', (request, reply, done) => {
      this.#underWay++;
      const begun = performance.now();
      reply.raw.once('close', () => {
        this.#underWay--;
        // A stream is ended by whoever reads it: how long that took says nothing.
        if (String(reply.getHeader('content-type')).startsWith('text/event-stream')) return;
        const route = request.routeOptions.url?.replace(/:(\w+)/g, '{$1}') ?? 'no route';
        answered(request.method, route, reply.raw.statusCode, (performance.now() - begun) / 1000);
      });
      done(this.#stopping ? new Problem('stopping', 'The service is stopping: try again in a moment.') : undefined);
    });
  }

  /**
   * Refuses new calls from now on, each with an answer, and waits for those under way.
   * @returns whether all of them ended in time
   */
  async drain(withinMs: number): Promise<boolean> {
    this.#stopping = true;
    const begun = Date.now();
    await pause(Math.min(SETTLE_MS, withinMs));
    while (this.#underWay > 0 && Date.now() - begun < withinMs) await pause(LOOK_MS);
    return this.#underWay === 0;
  }
}
