import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { setTimeout as pause } from 'node:timers/promises';
import { callAny } from '@gather-lane/client';
import {
  runWalk,
  type ApiDocument,
  type CameBack,
  type Json,
  type StepOutcome,
  type Walk,
} from '@gather-lane/core/calls';
import { checkWalk, readWalk, unfitFor, type WalkFault } from '@gather-lane/core/proofs';
import { Failure } from '../failure.js';

/** What a walk is run against. */
export interface WalkedService {
  readonly address: string;
  /** Null where nobody knows it. */
  readonly operatorKey: string | null;
}

/** What became of a walk. */
export interface WalkResult {
  readonly file: string;
  readonly walk: string;
  readonly met: boolean;
  /** What was wrong with it before anything was called. */
  readonly faults: readonly WalkFault[];
  readonly steps: readonly StepOutcome[];
  /** How many steps it has. */
  readonly of: number;
  readonly seconds: number;
}

const DOCUMENT_WITHIN_MS = 20_000;

/** Runs the walk of a file. @param told hears of each step as it comes */
export async function runFile(
  file: string,
  { address: given, operatorKey }: WalkedService,
  told: (outcome: StepOutcome) => void,
): Promise<WalkResult> {
  const begun = performance.now();
  const seconds = () => Math.round(performance.now() - begun) / 1000;
  const read = readWalk(textOf(file));
  if (!('walk' in read)) return { file, walk: '', met: false, faults: read, steps: [], of: 0, seconds: seconds() };
  const { walk } = read;
  const address = walk.service?.address ?? given;
  const faults = checkWalk(read, await documentOf(walk, address));
  const head = { file, walk: walk.walk, of: walk.steps.length };
  if (faults.length > 0) return { ...head, met: false, faults, steps: [], seconds: seconds() };
  const steps: StepOutcome[] = [];
  const runner = {
    send: async (call: Parameters<typeof callAny>[1]) => (await callAny(address, call)) as CameBack,
    unfit: unfitFor,
    wait: (ms: number) => pause(ms),
    now: () => performance.now(),
    mark: randomBytes(4).toString('hex'),
    // Whose key it is: a walk that names another service is not handed it.
    operator:
      operatorKey === null || new URL(address).origin !== new URL(given).origin
        ? null
        : { authorization: `Bearer ${operatorKey}` },
  };
  for await (const outcome of runWalk(walk, runner)) {
    steps.push(outcome);
    told(outcome);
  }
  return { ...head, met: steps.every(({ met }) => met), faults: [], steps, seconds: seconds() };
}

function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new Failure(
      code === 'ENOENT' ? `There is no file ${file}.` : `${file} cannot be read: ${(error as Error).message}`,
      2,
    );
  }
}

/** What the service says of itself; what is no service of ours need not say anything. */
async function documentOf({ service }: Walk, address: string): Promise<ApiDocument | null> {
  const where = service?.document ?? '/v1/openapi.json';
  const url = /^https?:/.test(where) ? new URL(where) : null;
  const asked = { method: 'GET', headers: {}, body: undefined, withinMs: DOCUMENT_WITHIN_MS };
  const { status, body } = await callAny(url?.origin ?? address, {
    ...asked,
    path: url ? url.pathname + url.search : where,
  });
  if (status === 200 && typeof body === 'object' && body !== null && 'paths' in body) return body as ApiDocument;
  if (service?.document === undefined) return null;
  throw new Failure(
    `${where} is no OpenAPI document: it answered ${status} ${short(body as Json)}. Correct \`service.document\` of the walk.`,
  );
}

const short = (value: Json | undefined): string => JSON.stringify(value ?? null).slice(0, 80);
