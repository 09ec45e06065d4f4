import { createReadStream } from 'node:fs';
import { TransferRefused } from './manifest.js';

/** A row of an export's file. */
export interface Line {
  readonly number: number;
  readonly row: Record<string, unknown>;
  /** How many characters it has there. */
  readonly length: number;
}

/** So much of a file is read at once. */
const CHUNK = 262_144;

/**
 * The rows of a file, as many at once as were read of it: to wait for each by itself would take longer than to read it.
 * @param seen hears each line as it is read
 * @throws TransferRefused naming the line that is no row
 */
export async function* linesOf(path: string, seen?: (text: string) => void): AsyncGenerator<Line[]> {
  let [number, rest] = [0, ''];
  const toLine = (read: string): Line => {
    const text = read.endsWith('\r') ? read.slice(0, -1) : read;
    number++;
    seen?.(text);
    return { number, row: rowOf(path, number, text), length: text.length };
  };
  for await (const chunk of createReadStream(path, { encoding: 'utf8', highWaterMark: CHUNK })) {
    const texts = (rest + String(chunk)).split('\n');
    rest = texts.pop()!;
    yield texts.map(toLine);
  }
  if (rest !== '') yield [toLine(rest)];
}

function rowOf(path: string, number: number, text: string): Record<string, unknown> {
  let row: unknown;
  try {
    row = JSON.parse(text);
  } catch (error) {
    throw new TransferRefused(`${path}, line ${number} is damaged: ${(error as Error).message}`);
  }
  if (typeof row !== 'object' || row === null || Array.isArray(row))
    throw new TransferRefused(`${path}, line ${number} is no row: each line is one JSON object.`);
  return row as Record<string, unknown>;
}
