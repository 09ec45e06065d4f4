import type { StepOutcome } from '@gather-lane/core/calls';
import colors from 'picocolors';
import type { JUnitSuite } from '../junit.js';
import { print, terminalWidth } from '../output.js';
import type { WalkResult } from './run-file.js';

/** Says what became of a step. */
export function showStep({ n, step, as, call, status, ms, met, differences, fault, body }: StepOutcome): void {
  const mark = met ? colors.green('✓') : colors.red('✗');
  const number = n > 0 ? String(n).padStart(3) : '   ';
  const came = status === null ? '' : `${status}`;
  const time = colors.dim(`${ms.toFixed(ms < 10 ? 1 : 0)} ms`);
  const name = step === '' ? '' : `${step}  `;
  if (n <= 0 && met) return;
  print(
    `${mark} ${number}  ${name}${colors.dim(`${as}: ${cut(shortIds(call), terminalWidth() - 30 - name.length)}`)}  ${came} ${time}`,
  );
  if (fault !== null) print(colors.red(`         ${fault}`));
  const detail = (body as { detail?: unknown } | undefined)?.detail;
  if (!met && typeof detail === 'string') print(colors.dim(`         The service says: ${detail}`));
  for (const { at, expected, came: other } of differences) {
    print(`         ${colors.bold(at)}`);
    print(colors.green(`           expected  ${written(expected)}`));
    print(colors.red(`           came      ${other === undefined ? 'nothing' : written(other)}`));
  }
}

/** Says what became of a walk as a whole. */
export function showResult({ file, walk, met, faults, steps, of, seconds }: WalkResult): void {
  for (const { line, where, says } of faults)
    print(colors.red(`✗ ${file}${line === null ? '' : `:${line}`}  ${where === '' ? 'the walk' : where} ${says}`));
  if (faults.length > 0) return print(colors.red(`${walk || file}: nothing was called.`));
  const reached = steps.filter(({ n }) => n > 0).length;
  if (met) print(`${colors.green('✓')} ${of} steps, ${seconds.toFixed(1)} s`);
  else
    print(
      colors.red(
        `✗ not met at ${reached === 0 ? 'the start' : `step ${reached}`}${reached < of ? `; ${of - reached} of ${of} steps were not taken` : ''}`,
      ),
    );
}

/** A walk as a suite of JUnit, a case for each step; those that were not taken are skipped. */
export function walkAsSuite({ file, walk, faults, steps, of }: WalkResult): JUnitSuite {
  const name = walk || file;
  if (faults.length > 0)
    return {
      name,
      cases: [
        { group: file, name: 'the walk itself', faults: faults.map(({ where, says }) => `${where} ${says}`.trim()) },
      ],
    };
  const taken = steps.map(({ n, step, call, fault, differences, ms, met }) => ({
    group: file,
    name: `${n > 0 ? `${n} ` : ''}${step || call}`,
    seconds: Math.round(ms) / 1000,
    faults: met
      ? []
      : [
          fault ??
            differences
              .map(({ at, expected, came }) => `${at}: expected ${written(expected)}, came ${written(came)}`)
              .join('; '),
        ],
  }));
  const reached = steps.filter(({ n }) => n > 0).length;
  const left = Array.from({ length: of - reached }, (_, i) => ({
    group: file,
    name: `${reached + i + 1}`,
    faults: [],
    skipped: true,
  }));
  return { name, cases: [...taken, ...left] };
}

const LONGEST = 300;
const written = (value: unknown): string => cut(value === undefined ? 'nothing' : JSON.stringify(value), LONGEST);
const cut = (text: string, most: number): string =>
  text.length > Math.max(most, 20) ? `${text.slice(0, Math.max(most, 20) - 1)}…` : text;
/** Ids by their ends, by which people know them apart. */
const shortIds = (call: string): string =>
  call.replace(/[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{6}([0-9a-f]{6})/g, '…$1');
