import { pathOf, type Change, type HazardKind, type Way } from '@gather-lane/core';

/** How a way out is typed: in a file of answers, save leave to lose data, which is given with the command alone. */
export const wayAsTyped = (change: Change, hazard: HazardKind, { answer }: Way): string =>
  hazard === 'data-lost' ? `--drop ${pathOf(change)}` : answer;
