import { COMMENT_KIND, type Weighting } from '@gather-lane/core';
import { closest } from 'fastest-levenshtein';
import type { DataSource } from 'typeorm';
import { brokenConstraint } from '../../ground/database/transaction.js';
import { invalid, Problem } from '../../ground/http/problem.js';
import {
  toWeighting,
  WEIGHTING_COLUMNS,
  weightingInForce,
  type WeightingColumns,
} from '../../ranking/weighting/in-force.js';
import { Rebuild } from '../../ranking/weighting/rebuild.js';
import type { TrialView, WantedNumbers, WeightingView } from './schema.js';
import { Trials, type Told } from './trial.js';
import { WeightingRow } from '../../ranking/weighting/weighting.entity.js';

const EFFECT_SAMPLE = 30;

/** Weightings: the one in force, trying others, adopting one. */
export class Weightings {
  readonly #dataSource: DataSource;
  readonly #kinds: readonly string[];
  readonly #trials: Trials;
  readonly #rebuild: Rebuild;

  /**
   * @param background where standings are built
   * @param kinds the configured kinds of reaction
   */
  constructor(dataSource: DataSource, background: DataSource, kinds: readonly string[]) {
    this.#dataSource = dataSource;
    this.#kinds = kinds;
    this.#trials = new Trials(dataSource);
    this.#rebuild = new Rebuild(background, (id) => this.#effectOf(id));
  }

  /** All that ever were, the newest first. */
  async list(): Promise<WeightingView[]> {
    const rows = await this.#dataSource.manager.find(WeightingRow, { order: { id: 'DESC' }, take: 200 });
    return rows.map(viewOf);
  }

  /** @throws Problem `not-found` */
  async one(id: number): Promise<WeightingView> {
    const row = await this.#dataSource.manager.findOne(WeightingRow, { where: { id } });
    if (!row) throw new Problem('not-found', `There is no weighting ${id}.`);
    return viewOf(row);
  }

  /**
   * What other numbers would do to one viewer's feed and to a sample of others, without writing anything.
   * @throws Problem `invalid` for a weight of a kind that there is not
   */
  async try(
    wanted: WantedNumbers,
    viewer: { id: string; handle: string } | null,
    { depth, sample }: { depth: number; sample: number },
  ): Promise<TrialView> {
    const inForce = await weightingInForce(this.#dataSource);
    const tried = this.#numbers(wanted, inForce);
    const trial = viewer && (await this.#trials.ofViewer(viewer.id, inForce, tried, depth));
    return {
      now: { id: inForce.id, ...inUnits(inForce) },
      tried: inUnits(tried),
      viewer: trial && { handle: viewer.handle, change: trial.change, posts: sideBySide(trial.now, trial.then) },
      sample: sample === 0 ? null : await this.#trials.ofSample(sample, inForce, tried),
    };
  }

  /**
   * Begins to adopt numbers: a new version, built beside the one in force. Feeds are served from the old one until it is done.
   * @returns the new version; `build` does the rest
   * @throws Problem `under-way` while another is built, `invalid` for the numbers that are in force already
   */
  async adopt(
    wanted: WantedNumbers & { readonly earlier?: number },
    { note, by }: { note: string; by: string },
  ): Promise<number> {
    const inForce = await weightingInForce(this.#dataSource);
    const from = wanted.earlier === undefined ? inForce : await this.#earlier(wanted.earlier);
    const { halfLifeMs, base, weights } = this.#numbers(wanted, from);
    if (isSame({ halfLifeMs, base, weights }, inForce))
      throw invalid('', `has the numbers of weighting ${inForce.id}, which is in force: there is nothing to change`);
    try {
      return await this.#rebuild.begin(async (manager) => {
        const [row] = await manager.query<{ id: number }[]>(
          `INSERT INTO weightings (id, half_life_ms, base, weights, note, adopted_by, state, phase)
           SELECT max(id) + 1, $1, $2, $3, $4, $5, 'building', 'copying' FROM weightings RETURNING id`,
          [halfLifeMs, base, JSON.stringify(weights), note, by],
        );
        return row!.id;
      });
    } catch (error) {
      if (!['weightings_one_building', 'weightings_pkey'].includes(brokenConstraint(error) ?? '')) throw error;
      throw new Problem('under-way', 'Another weighting is being built: wait for it, or cancel it.');
    }
  }

  /** Builds what is to be built and puts it in force; goes on with a build that was interrupted. */
  build(): Promise<void> {
    return this.#rebuild.run();
  }

  /** Goes on with a build that no process works on, as after one was killed. Cost: a look at the few weightings there are. */
  resume(): Promise<void> {
    return this.#rebuild.resume();
  }

  /** Cancels a build. @throws Problem `not-found` for a weighting that is not being built */
  async cancel(id: number): Promise<void> {
    const { affected } = await this.#dataSource.manager.update(
      WeightingRow,
      { id, state: 'building' },
      { state: 'cancelled', phase: null },
    );
    if (affected === 0) throw new Problem('not-found', `Weighting ${id} is not being built.`);
    // Where no process builds any more, this one tidies up; should that fail, the next start or round does.
    await this.#rebuild.run().catch(() => undefined);
  }

  /** Takes away standings that no scroll needs any more. */
  async dropRetired(): Promise<void> {
    await this.#rebuild.dropRetired();
  }

  /** For how many seconds the standings of a weighting are being built; 0 where none are. Cost: a pass over the weightings. */
  async buildingSeconds(): Promise<number> {
    const [row] = await this.#dataSource.query<{ seconds: number }[]>(
      `SELECT coalesce(max(extract(epoch FROM clock_timestamp() - created_at)), 0)::double precision AS seconds FROM weightings WHERE state = 'building'`,
    );
    return row!.seconds;
  }

  /** Stops building at the next step; the next start goes on. */
  stop(): Promise<void> {
    return this.#rebuild.stop();
  }

  async #earlier(id: number): Promise<Weighting> {
    const [row] = await this.#dataSource.query<WeightingColumns[]>(
      `SELECT ${WEIGHTING_COLUMNS} FROM weightings w WHERE w.id = $1`,
      [id],
    );
    if (!row) throw invalid('/earlier', `names no weighting: there is no version ${id}`);
    return toWeighting(row);
  }

  async #effectOf(id: number): Promise<object | null> {
    const { viewers, change } = await this.#trials.ofSample(
      EFFECT_SAMPLE,
      await weightingInForce(this.#dataSource),
      await this.#earlier(id),
    );
    return { viewers, change };
  }

  #numbers({ halfLifeMs, base, weights }: WantedNumbers, from: Weighting): Weighting {
    const known = [...new Set([COMMENT_KIND, ...this.#kinds, ...Object.keys(from.weights)])];
    const changed = Object.entries(weights ?? {}).map(([kind, weight]) => {
      if (!known.includes(kind))
        throw invalid(
          `/weights/${kind}`,
          `is no kind of engagement; there are ${known.join(', ')} (did you mean ${closest(kind, known)}?)`,
        );
      return [kind, thousandths(`/weights/${kind}`, weight)] as const;
    });
    return {
      halfLifeMs: halfLifeMs ?? from.halfLifeMs,
      base: base === undefined ? from.base : thousandths('/base', base),
      weights: { ...from.weights, ...Object.fromEntries(changed) },
    };
  }
}

/** Weights are whole thousandths. @throws Problem `invalid` for anything finer */
function thousandths(pointer: string, value: number): number {
  const whole = Math.round(value * 1000);
  if (Math.abs(value * 1000 - whole) > 1e-6) throw invalid(pointer, 'may have three decimals at most');
  return whole;
}

const inUnits = ({ halfLifeMs, base, weights }: Weighting) => ({
  halfLifeMs,
  base: base / 1000,
  weights: Object.fromEntries(Object.entries(weights).map(([kind, weight]) => [kind, weight / 1000])),
});

function isSame(a: Weighting, b: Weighting): boolean {
  const kinds = [...new Set([...Object.keys(a.weights), ...Object.keys(b.weights)])];
  const same = kinds.every((kind) => (a.weights[kind] ?? 0) === (b.weights[kind] ?? 0));
  return a.halfLifeMs === b.halfLifeMs && a.base === b.base && same;
}

/** Each post of two feeds with its place in either, those of now first. */
function sideBySide(now: readonly Told[], then: readonly Told[]): NonNullable<TrialView['viewer']>['posts'] {
  const placeIn = (feed: readonly Told[], id: string) => {
    const i = feed.findIndex((post) => post.id === id);
    const post = feed[i];
    return post ? { rank: i + 1, laneTime: new Date(post.laneTime).toISOString(), lift: round(post.lift) } : null;
  };
  const all = [...now, ...then.filter((post) => !now.some(({ id }) => id === post.id))];
  return all.map(({ id, handle, text, createdAt }) => ({
    id,
    handle,
    text,
    createdAt: new Date(createdAt).toISOString(),
    now: placeIn(now, id),
    then: placeIn(then, id),
  }));
}

const round = (n: number): number => Math.round(n * 1000) / 1000;

function viewOf(row: WeightingRow): WeightingView {
  const [built, toBuild] = [Number(row.built), row.toBuild === null ? null : Number(row.toBuild)];
  const seconds = (Date.now() - row.createdAt.getTime()) / 1000;
  const left = toBuild !== null && built > 0 ? Math.max(0, Math.round((seconds / built) * (toBuild - built))) : null;
  return {
    id: row.id,
    ...inUnits({ halfLifeMs: Number(row.halfLifeMs), base: row.base, weights: row.weights }),
    state: row.state,
    note: row.note,
    by: row.adoptedBy,
    createdAt: row.createdAt.toISOString(),
    inForceFrom: row.inForceFrom?.toISOString() ?? null,
    inForceUntil: row.inForceUntil?.toISOString() ?? null,
    progress: row.state === 'building' ? { phase: row.phase ?? 'copying', built, toBuild, secondsLeft: left } : null,
    effect: row.effect as WeightingView['effect'],
  };
}
