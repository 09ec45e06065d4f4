import { findOperation, type ApiDocument } from '@gather-lane/core';
import { CallChecker, checkWalk, readWalk, unfitFor, type WalkFault } from '@gather-lane/core/proofs';
import { invalid } from '../../ground/http/problem.js';
import type { Of } from '../../ground/http/schemas.js';
import type { ProofWish } from './schema.js';

/** What is wrong with something that was written, and the walk that was read. */
interface Proof {
  readonly faults: readonly WalkFault[];
  readonly walk: unknown;
}

const CHECKERS = new WeakMap<ApiDocument, CallChecker>();

/** Reads a call, a walk or a value before it is sent. @throws Problem `invalid` for an operation that is not there */
export function proofread({ call, walk, value }: Of<typeof ProofWish>, document: ApiDocument): Proof {
  if (call) return { faults: ofCall(call, document), walk: null };
  if (value) return { faults: ofValue(value), walk: null };
  const read = readWalk(walk!);
  return 'walk' in read ? { faults: checkWalk(read, document), walk: read.walk } : { faults: read, walk: null };
}

function ofCall(
  { method, template, parameters, body }: NonNullable<Of<typeof ProofWish>['call']>,
  document: ApiDocument,
): WalkFault[] {
  const found = findOperation(document, method, template);
  if (!found) throw invalid('/call/template', 'names no operation of the API document');
  const checker = CHECKERS.get(document) ?? new CallChecker(document);
  CHECKERS.set(document, checker);
  const of = (where: 'path' | 'query') => {
    const names = (found.operation.parameters ?? []).filter((each) => each.in === where).map(({ name }) => name);
    const given = Object.fromEntries(names.map((name) => [name, parameters[name] ?? '']));
    return checker
      .parameters(found, where, given)
      .map(({ pointer, detail }) => ({ pointer: `parameter${pointer}`, detail }));
  };
  return [...of('path'), ...of('query'), ...checker.body(found, body)].map(({ pointer, detail }) => ({
    line: null,
    where: pointer,
    says: detail,
  }));
}

/** @throws Problem `invalid` for what is no schema */
function ofValue({ schema, value }: NonNullable<Of<typeof ProofWish>['value']>): WalkFault[] {
  try {
    return unfitFor(schema as never, value as never).map(({ at, expected }) => ({
      line: null,
      where: at,
      says: String(expected),
    }));
  } catch (error) {
    throw invalid('/value/schema', `is no JSON Schema: ${(error as Error).message}`);
  }
}
