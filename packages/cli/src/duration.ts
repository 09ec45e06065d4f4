import { readDuration } from '@gather-lane/words';
import { Failure } from './failure.js';

/** Milliseconds of a length of time like `4h`, `90min` or `1.5 d`. @throws Failure for anything else */
export function durationOf(text: string): number {
  const ms = readDuration(text);
  if (ms === null) throw new Failure(`"${text}" is no length of time: write it like 4h, 90min or 2d.`, 2);
  return ms;
}
