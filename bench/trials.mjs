// Trying a weighting without adopting it: by the viewer who follows as many as most do, by the one who follows the most, and by a sample.
import { openData } from './data.mjs';
import { startService } from './service.mjs';
import { printTable } from './table.mjs';

const ROUNDS = 5;
const SAMPLE = 20;

const TRIALS = [
  ['comments twice as heavy', ({ weights }) => ({ weights: { comment: weights.comment * 2 } })],
  ['half the half-life', ({ halfLifeMs }) => ({ halfLifeMs: halfLifeMs / 2 })],
  ['twice the half-life', ({ halfLifeMs }) => ({ halfLifeMs: halfLifeMs * 2 })],
  ['dislikes carry', () => ({ weights: { dislike: 1 } })],
];

/** @returns seconds of the slowest trial: of the median viewer, the heaviest, and a sample of twenty */
export async function benchTrials(size) {
  const data = await openData(size);
  const service = await startService(data.address);
  try {
    const [now] = (await service.operator('GET', '/weightings')).items.filter(({ state }) => state === 'in-force');
    const viewer = async (rank) => {
      const [found] = await data.dataSource.query(
        `SELECT u.handle, t.following FROM user_tallies t JOIN users u ON u.id = t.user_id WHERE t.following > 0 ORDER BY t.following DESC
         OFFSET (SELECT (count(*) - 1) * $1::float8 FROM user_tallies WHERE following > 0)::integer LIMIT 1`,
        [rank],
      );
      return found;
    };
    const [median, heaviest] = [await viewer(0.5), await viewer(0)];
    const rows = [];
    const worst = { trialMedian: 0, trialHeaviest: 0, trialSample: 0 };
    for (const [name, changed] of TRIALS) {
      const times = {};
      for (const [key, body] of [
        ['trialMedian', { viewer: `@${median.handle}`, depth: 20, sample: 0 }],
        ['trialHeaviest', { viewer: `@${heaviest.handle}`, depth: 20, sample: 0 }],
        ['trialSample', { sample: SAMPLE }],
      ]) {
        times[key] = await seconds(() => service.operator('POST', '/weighting-trials', { ...changed(now), ...body }));
        worst[key] = Math.max(worst[key], times[key]);
      }
      rows.push([name, ...Object.values(times).map((each) => each.toFixed(2))]);
    }
    printTable(
      `Trying a weighting, ${size} data, seconds (medians of ${ROUNDS})`,
      ['tried', `${median.following} follows`, `${heaviest.following} follows`, `sample of ${SAMPLE}`],
      rows,
    );
    return worst;
  } finally {
    await service.stop();
    await data.close();
  }
}

async function seconds(act) {
  const taken = [];
  for (let round = 0; round < ROUNDS; round++) {
    const started = performance.now();
    await act();
    taken.push((performance.now() - started) / 1000);
  }
  return taken.sort((a, b) => a - b)[Math.floor(ROUNDS / 2)];
}
