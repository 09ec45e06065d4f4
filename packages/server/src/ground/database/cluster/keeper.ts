import { readFileSync } from 'node:fs';
import { setTimeout as pause } from 'node:timers/promises';

const LOOK_MS = 500;
const FIRST_PAUSE_MS = 500;
const LONGEST_PAUSE_MS = 30_000;
/** A server that does not end when asked to is told to by force after so long. */
const PATIENCE_MS = 20_000;

/** Whether a process runs. One that ended and whose parent does not ask how, as in a container without an init, does not. */
export function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as { code?: string }).code !== 'EPERM') return false;
  }
  return !ENDED.test(statOf(pid));
}

/** The state after the program's name, which may have anything in it. */
const ENDED = /\) [ZX] [^)]*$/;

/** What Linux says of a process; empty where it says nothing. */
function statOf(pid: number): string {
  try {
    return readFileSync(`/proc/${pid}/stat`, 'utf8');
  } catch {
    return '';
  }
}

/** Keeps a cluster running, and stops it. */
export class ClusterKeeper {
  #pid: number;
  readonly #startAgain: () => Promise<number>;
  #timer: NodeJS.Timeout | undefined;
  #mending: Promise<void> | null = null;
  readonly #stopping = new AbortController();

  /** @param startAgain starts it on the same port and waits until it answers; gives its process */
  constructor(pid: number, startAgain: () => Promise<number>) {
    this.#pid = pid;
    this.#startAgain = startAgain;
  }

  /** Starts it again whenever it has ended by itself, with longer pauses while that fails. */
  watch(said: (text: string) => void): void {
    this.#timer = setInterval(() => {
      if (!this.#mending && !isAlive(this.#pid)) this.#mending = this.#mend(said).finally(() => (this.#mending = null));
    }, LOOK_MS);
    this.#timer.unref();
  }

  /** Stops it and waits until it is gone. */
  async stop(): Promise<void> {
    this.#stopping.abort();
    clearInterval(this.#timer);
    await this.#mending;
    if (!isAlive(this.#pid)) return;
    process.kill(this.#pid, 'SIGINT');
    for (let waited = 0; isAlive(this.#pid); waited += 20) {
      if (waited === PATIENCE_MS) process.kill(this.#pid, 'SIGQUIT');
      await pause(20);
    }
  }

  async #mend(said: (text: string) => void): Promise<void> {
    const { signal } = this.#stopping;
    said('PostgreSQL ended unexpectedly: it is started again. Calls are answered 503 meanwhile.');
    for (let rest = FIRST_PAUSE_MS; !signal.aborted; rest = Math.min(2 * rest, LONGEST_PAUSE_MS)) {
      try {
        this.#pid = await this.#startAgain();
        return said('PostgreSQL is back.');
      } catch (error) {
        said(`PostgreSQL could not be started again; the next try is in ${rest / 1000} s. ${(error as Error).message}`);
        await pause(rest, undefined, { signal, ref: false }).catch(() => undefined);
      }
    }
  }
}
