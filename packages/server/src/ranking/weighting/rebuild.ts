import { setTimeout as pause } from 'node:timers/promises';
import type { DataSource, EntityManager, QueryRunner } from 'typeorm';
import { inTransaction, sqlState } from '../../ground/database/transaction.js';
import { underLock } from '../../ground/database/under-lock.js';
import {
  createStandings,
  dropStandings,
  indexStandings,
  raiseBounds,
  standFunction,
  standingsBy,
  standingsTable,
  standingsView,
  STANDINGS_LOCK,
} from './standings.js';

/** Held by the one process that builds. */
const BUILDING = `hashtext('gather-lane weighting build')`;
const POSTS_AT_ONCE = 20_000;
const CHANGED_AT_ONCE = 500;
/** As few changed posts as this are set while writers wait. */
const FEW = 100;
/** How long a change of weighting stands in writers' way before it tries again. */
const LOCK_TIMEOUT = '300ms';
const TRIES = 200;
const LOCK_NOT_AVAILABLE = '55P03';

/** What is being done about standings that are built. */
export type Phase = 'copying' | 'indexing' | 'catching up' | 'measuring';

/** The build was cancelled, or the service stops. */
class Stopped extends Error {}

/**
 * Builds the standings of a weighting beside those in force, and puts it in force. Every step can be repeated: killed at any
 * point, it goes on where it stood.
 */
export class Rebuild {
  readonly #dataSource: DataSource;
  readonly #measure: (id: number) => Promise<object | null>;
  #ended = false;
  #running: Promise<void> = Promise.resolve();
  /** How many runs are waiting or under way. */
  #runs = 0;
  /** The backends that work for the build under way. */
  readonly #backends = new Set<number>();
  readonly #stopped = new AbortController();

  /** @param measure how feeds are about to change, asked right before they do */
  constructor(dataSource: DataSource, measure: (id: number) => Promise<object | null>) {
    this.#dataSource = dataSource;
    this.#measure = measure;
  }

  /**
   * Marks a weighting as being built: from here on every change of a post is noted. Whoever was writing when it begins has
   * ended by then.
   * @param insert adds its row, in state `building`
   */
  async begin(insert: (manager: EntityManager) => Promise<number>): Promise<number> {
    const id = await this.#alone(async (manager) => {
      const made = await insert(manager);
      await manager.query(`DELETE FROM restand`);
      await manager.query(createStandings(made));
      await manager.query(standFunction(made));
      return made;
    });
    await this.#dataSource.query(
      `UPDATE weightings SET to_build = (SELECT count(*) FROM posts WHERE deleted_at IS NULL) WHERE id = $1`,
      [id],
    );
    return id;
  }

  /** Builds what is to be built, if no other process does. @returns once it is in force, cancelled, or left for later */
  run(): Promise<void> {
    this.#runs++;
    // One that failed is told to who asked for it, and keeps nobody after it from trying again.
    const run = this.#running.then(() => this.#run()).finally(() => this.#runs--);
    this.#running = run.catch(() => undefined);
    return run;
  }

  /** Runs where there is something to build and this process does not work on it. */
  async resume(): Promise<void> {
    if (this.#runs > 0 || this.#ended) return;
    const rows = await this.#dataSource.query<unknown[]>(`SELECT FROM weightings WHERE state = 'building'`);
    if (rows.length > 0) await this.run();
  }

  /** Stops at once: the statement under way is cut; a build stays for the next start. */
  async stop(): Promise<void> {
    this.#ended = true;
    this.#stopped.abort();
    await this.#dataSource
      .query(`SELECT pg_cancel_backend(pid) FROM unnest($1::integer[]) AS pid`, [[...this.#backends]])
      .catch(() => undefined);
    await this.#running;
  }

  async #run(): Promise<void> {
    try {
      await underLock(
        this.#dataSource,
        BUILDING,
        (runner) => this.#buildWhatWaits(runner),
        () => undefined,
      );
    } catch (error) {
      if (this.#ended) return;
      if (!(error instanceof Stopped)) throw error;
      await this.#dropCancelled();
    } finally {
      this.#backends.clear();
    }
  }

  async #buildWhatWaits(runner: QueryRunner): Promise<void> {
    const [{ pid }] = (await runner.query(`SELECT pg_backend_pid() AS pid`)) as [{ pid: number }];
    this.#backends.add(pid);
    await this.#dropCancelled();
    const [row] = (await runner.query(`SELECT id, phase FROM weightings WHERE state = 'building'`)) as {
      id: number;
      phase: Phase;
    }[];
    if (row) await this.#build(row.id, row.phase, runner);
  }

  async #build(id: number, phase: Phase, runner: QueryRunner): Promise<void> {
    if (phase === 'copying') {
      await this.#copy(id);
      await this.#dataSource.query(raiseBounds(id, 'true'));
      await this.#enter(id, 'indexing');
    }
    if (phase === 'copying' || phase === 'indexing') {
      await this.#index(id, runner);
      await this.#enter(id, 'catching up');
    }
    await this.#catchUp(id);
    // Fresh statistics and visibility: the first pages are as quick as later ones.
    await runner.query(`VACUUM (ANALYZE) ${standingsTable(id)}`);
    await this.#enter(id, 'measuring');
    const effect = await Promise.race([this.#measure(id), this.#whenStopped()]);
    await this.#catchUp(id);
    await this.#putInForce(id, effect);
  }

  /** Rejects once the service stops: nobody waits then for what is only read. */
  #whenStopped(): Promise<never> {
    const { signal } = this.#stopped;
    return new Promise((_, reject) => {
      const refuse = () => reject(new Stopped());
      if (signal.aborted) refuse();
      else signal.addEventListener('abort', refuse, { once: true });
    });
  }

  /**
   * Copies in id order, so that where it stood is known by the last one. Each batch counts on from the one before: should
   * another process have taken over, because this one's lock was lost with its connection, the count is not what it was.
   */
  async #copy(id: number): Promise<void> {
    const table = standingsTable(id);
    const [row] = await this.#dataSource.query<{ built: string }[]>(`SELECT built FROM weightings WHERE id = $1`, [id]);
    let built = row!.built;
    const last = await this.#dataSource.query<{ id: string }[]>(
      `SELECT post_id AS id FROM ${table} ORDER BY post_id DESC LIMIT 1`,
    );
    let after = last[0]?.id ?? '00000000-0000-0000-0000-000000000000';
    for (;;) {
      const end = await this.#stoppable(async (manager) => {
        const [found] = await manager.query<[{ end: string | null }]>(
          `SELECT (array_agg(id))[count(*)] AS "end" FROM (SELECT id FROM posts WHERE id > $1 ORDER BY id LIMIT ${POSTS_AT_ONCE}) c`,
          [after],
        );
        if (found.end === null) return null;
        const made = await manager.query<unknown>(
          `WITH made AS (
             INSERT INTO ${table} (post_id, author_id, lane_time)
             ${standingsBy(`w.id = ${id}`, 'p.id > $1 AND p.id <= $2')} RETURNING 1)
           UPDATE weightings SET built = built + (SELECT count(*) FROM made)
           WHERE id = ${id} AND state = 'building' AND built = $3::bigint RETURNING built`,
          [after, found.end, built],
        );
        this.#goOn(made);
        built = (made as [[{ built: string }], number])[0][0].built;
        return found.end;
      });
      if (end === null) return;
      after = end;
    }
  }

  async #index(id: number, runner: QueryRunner): Promise<void> {
    const [{ keyed }] = (await runner.query(
      `SELECT EXISTS (SELECT FROM pg_constraint WHERE conrelid = '${standingsTable(id)}'::regclass AND contype = 'p') AS keyed`,
    )) as [{ keyed: boolean }];
    const [key, ...others] = indexStandings(id);
    // Readers need the processors meanwhile.
    await runner.query(`SET max_parallel_maintenance_workers = 0`);
    if (!keyed) await runner.query(key!);
    for (const sql of others) {
      await this.#enter(id, 'indexing');
      await runner.query(sql.replace('CREATE INDEX', 'CREATE INDEX IF NOT EXISTS'));
    }
    await runner.query(`RESET max_parallel_maintenance_workers`);
  }

  /** Sets the posts that changed meanwhile, until few are left. The counts are held first, as by every writer. */
  async #catchUp(id: number): Promise<void> {
    for (;;) {
      const rows = await this.#dataSource.query<{ post_id: string }[]>(
        `SELECT post_id FROM restand ORDER BY post_id LIMIT ${CHANGED_AT_ONCE}`,
      );
      if (rows.length <= FEW) return;
      const ids = [rows.map(({ post_id }) => post_id)];
      await this.#stoppable(async (manager) => {
        await manager.query(
          `SELECT FROM post_tallies WHERE post_id = ANY ($1) ORDER BY post_id FOR NO KEY UPDATE`,
          ids,
        );
        await manager.query(`DELETE FROM restand WHERE post_id = ANY ($1)`, ids);
        await manager.query(`SELECT stand_${id}($1, false)`, ids);
        this.#goOn(
          await manager.query(`UPDATE weightings SET phase = phase WHERE id = $1 AND state = 'building' RETURNING id`, [
            id,
          ]),
        );
      });
    }
  }

  /** The last of the changed posts, and then the change itself, in one transaction with no writer in between. */
  async #putInForce(id: number, effect: object | null): Promise<void> {
    await this.#alone(async (manager) => {
      // Not their counts: who holds those waits for us, and sets its posts by the new weighting afterwards.
      const [changed] = await manager.query<[{ post_id: string }[], number]>(`DELETE FROM restand RETURNING post_id`);
      await manager.query(`SELECT stand_${id}($1, false)`, [changed.map(({ post_id }) => post_id)]);
      await manager.query(
        `UPDATE weightings SET in_force = false, state = 'retired', in_force_until = clock_timestamp() WHERE in_force`,
      );
      const taken = await manager.query<unknown>(
        `UPDATE weightings SET in_force = true, state = 'in-force', in_force_from = clock_timestamp(), phase = NULL, effect = $2
         WHERE id = $1 AND state = 'building' RETURNING id`,
        [id, effect && JSON.stringify(effect)],
      );
      this.#goOn(taken);
      await manager.query(standingsView(id));
    });
  }

  /** Takes away the standings of weightings that were in force until more than a day ago. */
  async dropRetired(): Promise<void> {
    const rows = await this.#dataSource.query<{ id: number }[]>(
      `SELECT id FROM weightings WHERE state = 'retired' AND in_force_until < clock_timestamp() - interval '25 hours'`,
    );
    for (const { id } of rows)
      await this.#alone(async (manager) => {
        await manager.query(`UPDATE weightings SET state = 'past' WHERE id = $1 AND state = 'retired'`, [id]);
        for (const sql of dropStandings(id)) await manager.query(sql);
      });
  }

  /** Takes away what builds left behind that were cancelled. */
  async #dropCancelled(): Promise<void> {
    const rows = await this.#dataSource.query<{ id: number }[]>(
      `SELECT w.id FROM weightings w WHERE w.state = 'cancelled' AND to_regclass('standings_' || w.id) IS NOT NULL`,
    );
    for (const { id } of rows)
      await this.#alone(async (manager) => {
        for (const sql of dropStandings(id)) await manager.query(sql);
      });
  }

  async #enter(id: number, phase: Phase): Promise<void> {
    const rows = await this.#dataSource.query<unknown>(
      `UPDATE weightings SET phase = $2 WHERE id = $1 AND state = 'building' RETURNING id`,
      [id, phase],
    );
    this.#goOn(rows);
  }

  /** @param updated the reply to an update of the row while it is being built */
  #goOn(updated: unknown): void {
    const [rows] = updated as [unknown[], number];
    if (this.#ended || rows.length === 0) throw new Stopped();
  }

  /** A transaction that stopping cuts, whatever it waits for. */
  #stoppable<T>(work: (manager: EntityManager) => Promise<T>): Promise<T> {
    return inTransaction(this.#dataSource, async (manager) => {
      const [{ pid }] = await manager.query<[{ pid: number }]>(`SELECT pg_backend_pid() AS pid`);
      this.#backends.add(pid);
      try {
        if (this.#ended) throw new Stopped();
        return await work(manager);
      } finally {
        this.#backends.delete(pid);
      }
    });
  }

  /** Works while nobody sets standings. Stands in the way for a moment at most, then lets the others go first. */
  async #alone<T>(work: (manager: EntityManager) => Promise<T>): Promise<T> {
    for (let attempt = 1; ; attempt++)
      try {
        return await inTransaction(this.#dataSource, async (manager) => {
          await manager.query(`SET LOCAL lock_timeout = '${LOCK_TIMEOUT}'`);
          await manager.query(`SELECT pg_advisory_xact_lock(${STANDINGS_LOCK})`);
          return work(manager);
        });
      } catch (error) {
        if (sqlState(error) !== LOCK_NOT_AVAILABLE || attempt === TRIES) throw error;
        await pause(50 + Math.random() * 100);
      }
  }
}
