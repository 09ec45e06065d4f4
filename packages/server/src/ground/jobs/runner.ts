import { hostname } from 'node:os';
import type { DataSource } from 'typeorm';
import { v7 as uuidv7 } from 'uuid';
import type { Job } from '../capability/capability.js';
import {
  END_JOB,
  FAIL_JOB,
  FIRST_AFTER_SECONDS,
  HELD_SECONDS,
  HOLD_JOB,
  JOBS,
  REGISTER_JOBS,
  TAKE_JOB,
} from './queries.js';

const LOOK_EVERY_MS = 1_000;
const HOLD_EVERY_MS = (HELD_SECONDS * 1000) / 3;
/** One that takes hours holds up none that is due every few seconds. */
const AT_ONCE = 2;
const EVERY_SECONDS = 3_600;
const everySeconds = (job: Job): number => job.everySeconds ?? EVERY_SECONDS;

/** How a job stands, at whichever process. */
export interface JobStanding {
  readonly does: string;
  readonly everySeconds: number;
  readonly dueAt: Date;
  /** The machine and number of the process that is at it, or null. */
  readonly heldBy: string | null;
  readonly begunAt: Date | null;
  readonly endedAt: Date | null;
  /** How often it failed one after the other, until now. */
  readonly failures: number;
  readonly failedWith: string | null;
}

/**
 * Does jobs beside other processes of the same database: each is done by one of them at a time, and taken over within seconds from one that
 * died. No lock of a session is held, so it works behind a pooler as well.
 */
export class JobRunner {
  readonly #dataSource: DataSource;
  readonly #id = uuidv7();
  readonly #stopping = new AbortController();
  readonly #underWay = new Set<Promise<void>>();
  /** What this process does of its own. */
  readonly #here = new Set<Promise<void>>();
  readonly #held = new Set<string>();
  readonly #timers: NodeJS.Timeout[] = [];
  #jobs: ReadonlyMap<string, Job> = new Map();
  #failed: (error: unknown) => void = () => undefined;
  #away = false;

  constructor(dataSource: DataSource) {
    this.#dataSource = dataSource;
  }

  /**
   * Begins: every job is due soon, and then as often as it says.
   * @param failed told of each failure
   * @throws Error where two jobs say that they do the same
   */
  async begin(jobs: readonly Job[], failed: (error: unknown) => void): Promise<void> {
    const [own, shared] = [jobs.filter((job) => job.ofEachProcess), jobs.filter((job) => !job.ofEachProcess)];
    this.#jobs = new Map(shared.map((job) => [job.does, job]));
    if (this.#jobs.size < shared.length)
      throw new Error('Two jobs say that they do the same: each has words of its own.');
    this.#failed = failed;
    await this.#dataSource.query(REGISTER_JOBS, [[...this.#jobs.keys()]]);
    this.#timers.push(
      setInterval(() => this.look(), LOOK_EVERY_MS),
      ...own.flatMap((job) => [
        setTimeout(() => this.#doHere(job), FIRST_AFTER_SECONDS * 1000),
        setInterval(() => this.#doHere(job), everySeconds(job) * 1000),
      ]),
    );
    for (const timer of this.#timers) timer.unref();
  }

  /** Takes what is due, one job after the other, unless all hands are busy. */
  look(): void {
    if (this.#underWay.size >= AT_ONCE || this.#stopping.signal.aborted) return;
    const working: Promise<void> = this.#work().finally(() => this.#underWay.delete(working));
    this.#underWay.add(working);
  }

  /** Begins no more. What is under way is told to end, and waited for; what did not end is due for whoever comes next. */
  async stop(): Promise<void> {
    this.#stopping.abort();
    for (const timer of this.#timers) clearInterval(timer);
    await Promise.all([...this.#underWay, ...this.#here]);
  }

  /** How all jobs stand. */
  async standing(): Promise<JobStanding[]> {
    const rows = await this.#dataSource.query<Omit<JobStanding, 'everySeconds'>[]>(JOBS, [[...this.#jobs.keys()]]);
    return rows.map((row) => ({ ...row, everySeconds: everySeconds(this.#jobs.get(row.does)!) }));
  }

  /** Which jobs there are, and which this process is at. */
  here(): { does: string; held: boolean }[] {
    return [...this.#jobs.keys()].map((does) => ({ does, held: this.#held.has(does) }));
  }

  /** One job after the other, until none is due. */
  async #work(): Promise<void> {
    try {
      while (!this.#stopping.signal.aborted) {
        const [[taken]] = await this.#dataSource.query<[{ name: string }[], number]>(TAKE_JOB, [
          [...this.#jobs.keys()],
          this.#id,
          `${hostname()} ${process.pid}`,
        ]);
        this.#away = false;
        if (!taken) return;
        await this.#do(this.#jobs.get(taken.name)!);
      }
    } catch (error) {
      // A database that is away is told of once, not each second.
      if (!this.#away) this.#failed(error);
      this.#away = true;
    }
  }

  async #do(job: Job): Promise<void> {
    const lost = new AbortController();
    const holding = setInterval(() => void this.#hold(job, lost), HOLD_EVERY_MS);
    holding.unref();
    const name = [job.does, this.#id];
    this.#held.add(job.does);
    try {
      await job.run(AbortSignal.any([this.#stopping.signal, lost.signal]));
      const again = this.#stopping.signal.aborted ? 0 : everySeconds(job);
      await this.#dataSource.query(END_JOB, [...name, again]);
    } catch (error) {
      this.#failed(error);
      await this.#dataSource.query(FAIL_JOB, [...name, everySeconds(job), (error as Error).message]);
    } finally {
      clearInterval(holding);
      this.#held.delete(job.does);
    }
  }

  #doHere(job: Job): void {
    const working: Promise<void> = job
      .run(this.#stopping.signal)
      .then(() => undefined, this.#failed)
      .finally(() => this.#here.delete(working));
    this.#here.add(working);
  }

  /** Who was held up for so long that the job is another's by now leaves it. */
  async #hold(job: Job, lost: AbortController): Promise<void> {
    const [held] = await this.#dataSource
      .query<[unknown[], number]>(HOLD_JOB, [job.does, this.#id])
      .catch(() => [[job]] as const);
    if (held.length === 0) lost.abort();
  }
}
