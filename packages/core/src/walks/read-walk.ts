import type { ValidateFunction } from 'ajv';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { isMap, isScalar, isSeq, LineCounter, parseDocument, type Document } from 'yaml';
import { faultsOf } from '../checking/value-faults.js';
import { WALK_SCHEMA, type Walk } from './walk.js';

/** What is wrong with a walk, and where. */
export interface WalkFault {
  /** The line of the file, counted from 1; null where no line is to blame. */
  readonly line: number | null;
  /** Where in the walk: `step 3`, `joining`; empty for the walk as a whole. */
  readonly where: string;
  readonly says: string;
}

/** A walk as it was read, and where its parts stand. */
export interface ReadWalk {
  readonly walk: Walk;
  /** The line of a step, counted from 1. */
  readonly lineOf: (step: number) => number | null;
}

/** Larger files are none that somebody wrote. */
const MOST_CHARACTERS = 8_000_000;
/** As many faults are told at once. */
const MOST_FAULTS = 20;

let compiled: ValidateFunction | undefined;
const validator = (): ValidateFunction =>
  (compiled ??= new Ajv2020({ allErrors: true, strict: false, verbose: true }).compile(WALK_SCHEMA));

/** Reads a walk file. @returns what is wrong with it instead, where something is */
export function readWalk(text: string): ReadWalk | readonly WalkFault[] {
  if (text.length > MOST_CHARACTERS)
    return [{ line: null, where: '', says: `has ${text.length} characters: a walk has at most ${MOST_CHARACTERS}` }];
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const wrong = [...document.errors, ...document.warnings];
  if (wrong.length > 0)
    return wrong.slice(0, MOST_FAULTS).map(({ message, pos }) => ({
      line: lines.linePos(pos[0]).line,
      where: '',
      says: `is not well-formed YAML: ${message}`,
    }));
  const lineOf = (path: readonly (string | number)[]): number | null => lineAt(document, lines, path);
  const value = plain(document);
  if (value === CIRCLE)
    return [{ line: null, where: '', says: 'has an alias that stands inside of what it names: it would never end' }];
  const validate = validator();
  if (validate(value)) return { walk: value as Walk, lineOf: (step) => lineOf(['steps', step]) };
  return faultsOf(validate.errors ?? [], 'body')
    .slice(0, MOST_FAULTS)
    .map(({ pointer, detail }) => {
      const path = pointer
        .split('/')
        .slice(1)
        .map((part) => (/^\d+$/.test(part) ? Number(part) : part));
      const step = path[0] === 'steps' && typeof path[1] === 'number' ? `step ${path[1] + 1}` : '';
      const rest = step === '' ? path : path.slice(2);
      const subject = rest.length > 0 ? `\`${rest.join('.')}\` ` : path.length === 0 ? 'The walk ' : '';
      return {
        line: lineOf(path),
        where: step,
        says: `${subject}${detail}`
          .replace('parameter of this call', 'part of a walk')
          .replace('property of this call', 'part of a walk'),
      };
    });
}

const CIRCLE = Symbol('circle');

function plain(document: Document): unknown {
  try {
    const value: unknown = document.toJS({ maxAliasCount: 1_000 });
    // What refers to itself cannot be written out.
    JSON.stringify(value);
    return value;
  } catch {
    return CIRCLE;
  }
}

/** The line of a part, or of the nearest around it. */
function lineAt(document: Document, lines: LineCounter, path: readonly (string | number)[]): number | null {
  let [node, line]: [unknown, number | null] = [document.contents, null];
  for (let i = 0; ; i++) {
    const { range } = (node ?? {}) as { range?: [number, number, number] };
    if (range) line = lines.linePos(range[0]).line;
    if (i >= path.length) return line;
    const step = path[i]!;
    if (isMap(node)) {
      const pair = node.items.find(({ key }) => isScalar(key) && key.value === step);
      const key = pair?.key as { range?: [number, number, number] } | undefined;
      if (key?.range) line = lines.linePos(key.range[0]).line;
      node = pair?.value;
    } else if (isSeq(node) && typeof step === 'number') node = node.items[step];
    else return line;
  }
}
