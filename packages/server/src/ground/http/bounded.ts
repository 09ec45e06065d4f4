import pLimit from 'p-limit';
import { Problem } from './problem.js';

const AGAIN_AFTER_S = 2;

/**
 * Work that takes processor time and memory: some at a time, and a line of others that is not endless. Whoever comes when the
 * line is full is told so at once, instead of waiting longer than anybody does.
 * @param atOnce how many are done at the same time
 * @param waiting how many may stand in line
 * @returns what runs a piece of work in its turn, or throws Problem `busy`
 */
export function bounded(atOnce: number, waiting: number): <T>(work: () => Promise<T>) => Promise<T> {
  const limit = pLimit(atOnce);
  return (work) => {
    if (limit.pendingCount >= waiting)
      return Promise.reject(
        new Problem(
          'busy',
          `${waiting} calls of this kind are waiting already: try again in a moment.`,
          undefined,
          AGAIN_AFTER_S,
        ),
      );
    return limit(work);
  };
}
