import { setTimeout as pause } from 'node:timers/promises';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import { ANSWER, ANSWERS, ASK, FORGET_QUESTIONS, GONE, OPEN_QUESTIONS, PEERS, SEEN } from './queries.js';

const LOOK_EVERY_MS = 250;
const SEEN_EVERY = 4;
const POLL_MS = 40;
/** Whoever has not answered by then is not waited for. */
const WAIT_MS = 2_000;

/** The processes that trace calls on one database: each answers what the others ask of its traces. */
export class Peers {
  /** This process, among them. */
  readonly id = uuidv7();
  readonly #dataSource: DataSource;
  readonly #answer: (question: unknown) => Promise<unknown>;
  #ended = false;
  #looking: Promise<void> = Promise.resolve();
  #wake = new AbortController();

  /** @param answer what this process knows, as JSON; undefined where that is nothing */
  constructor(dataSource: DataSource, answer: (question: unknown) => Promise<unknown>) {
    this.#dataSource = dataSource;
    this.#answer = answer;
  }

  /** Says that it is there from now on, and answers. */
  begin(): void {
    this.#looking = this.#look();
  }

  async end(): Promise<void> {
    this.#ended = true;
    this.#wake.abort();
    await this.#looking;
    await this.#dataSource.query(GONE, [this.id]).catch(() => undefined);
  }

  /** What the others answer to a question; nothing is asked where there are none. */
  async ask<Answer>(question: unknown): Promise<Answer[]> {
    const peers = await this.#dataSource.query<unknown[]>(PEERS, [this.id]);
    if (peers.length === 0) return [];
    const id = uuidv7();
    await this.#dataSource.query(ASK, [id, this.id, JSON.stringify(question)]);
    const until = Date.now() + WAIT_MS;
    let answers: { answer: string }[];
    do {
      await pause(POLL_MS);
      answers = await this.#dataSource.query<{ answer: string }[]>(ANSWERS, [id]);
    } while (answers.length < peers.length && Date.now() < until);
    await this.#dataSource.query(FORGET_QUESTIONS, [id]);
    return answers.flatMap(({ answer }) => (answer === '' ? [] : [JSON.parse(answer) as Answer]));
  }

  async #look(): Promise<void> {
    for (let n = 0; !this.#ended; n++) {
      try {
        if (n % SEEN_EVERY === 0) await this.#dataSource.query(SEEN, [this.id]);
        const open = await this.#dataSource.query<{ id: string; question: string }[]>(OPEN_QUESTIONS, [this.id]);
        for (const { id, question } of open) {
          const answer = await this.#answer(JSON.parse(question));
          await this.#dataSource.query(ANSWER, [id, this.id, answer === undefined ? '' : JSON.stringify(answer)]);
        }
      } catch {
        // The tables are not made yet, or the database is away: whoever asks waits no longer than they said.
        n = -1;
      }
      await pause(LOOK_EVERY_MS, undefined, { ref: false, signal: this.#wake.signal }).catch(() => undefined);
    }
  }
}
