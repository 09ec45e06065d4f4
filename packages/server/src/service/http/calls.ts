import { setTimeout as pause } from 'node:timers/promises';
import type { FastifyInstance } from 'fastify';
import { Problem } from '../../ground/http/problem.js';

/** A call that was on its way when the service began to stop is still answered. */
const SETTLE_MS = 100;
const LOOK_MS = 20;

/** The calls that are under way; and, once the service stops, the refusal of new ones. */
export class CallsUnderWay {
  #underWay = 0;
  #stopping = false;

  /** Counts the calls of an application. To be added before any other hook. */
  use(app: FastifyInstance): void {
    app.addHook('onRequest', (_request, reply, done) => {
      this.#underWay++;
      reply.raw.once('close', () => this.#underWay--);
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
