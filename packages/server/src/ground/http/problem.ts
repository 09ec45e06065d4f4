import type { Refusal } from '@gather-lane/core';
import { PROBLEMS, type ProblemCode } from './problem-catalogue.js';

/** One value that is wrong, by its JSON Pointer. */
export interface FieldError {
  readonly pointer: string;
  readonly detail: string;
}

/** An error that the caller is told about, as RFC 9457 has it. */
export class Problem extends Error {
  override readonly name = 'Problem';
  readonly status: number;

  constructor(
    readonly code: ProblemCode,
    readonly detail: string,
    readonly errors?: readonly FieldError[],
    /** When to try again, for `Retry-After`. */
    readonly retryAfterSeconds?: number,
  ) {
    super(detail);
    this.status = PROBLEMS[code].status;
  }

  /** The JSON of the reply. */
  toReply(publicAddress: string, instance: string): object {
    return {
      type: `${publicAddress}/docs/problems/${this.code}`,
      title: PROBLEMS[this.code].title,
      status: this.status,
      detail: this.detail,
      instance,
      ...(this.errors && { errors: this.errors }),
    };
  }
}

/** A value in the body that breaks a rule: 422 with its pointer. */
export function invalid(pointer: string, detail: string): Problem {
  return new Problem('invalid', `${pointer.slice(1) || 'The body'} ${detail}.`, [{ pointer, detail }]);
}

const REFUSALS: Record<Refusal, (thing: string) => Problem> = {
  'not-signed-in': () => new Problem('not-signed-in', 'This call needs an access token.'),
  'wrong-principal': () => new Problem('wrong-principal', 'This route is not for this kind of caller.'),
  'moderators-only': () => new Problem('moderators-only', 'Only a moderator may do this.'),
  'not-found': (thing) => new Problem('not-found', `There is no such ${thing}.`),
  'not-yours': (thing) =>
    new Problem('not-yours', `This ${thing} belongs to somebody else: only its owner may do this.`),
  'stale': (thing) =>
    new Problem('stale', `The ${thing} changed since you read it: read it again and repeat the edit.`),
};

/** The problem that a refused doorway decision answers with. */
export const refusalProblem = (refusal: Refusal, thing: string): Problem => REFUSALS[refusal](thing);
