import type { RowChange } from '../traces/trace.js';
import { differences, type Difference } from './meet.js';
import { filled, filledPath, MissingValue, valueAt, type Known } from './values.js';
import { JOINING, LEAVING, type Expectation, type Json, type Walk, type WalkCall, type WalkStep } from './walk.js';

/** A call as it is sent. */
export interface SentCall {
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  /** Undefined for none. */
  readonly body: Json | undefined;
  /** Milliseconds that it may take. */
  readonly withinMs: number;
}

/** What came back. */
export interface CameBack {
  readonly status: number;
  /** By names in small letters. */
  readonly headers: Readonly<Record<string, string>>;
  /** As JSON where it is; else as text; undefined for none. */
  readonly body: Json | undefined;
}

/** What a walk is run with. */
export interface WalkRunner {
  /** Makes a call. @throws Error that says why nothing came back, and what to do */
  send(call: SentCall): Promise<CameBack>;
  /** Where a body does not fit a JSON Schema. */
  unfit(schema: Json, body: Json | undefined): readonly Difference[] | Promise<readonly Difference[]>;
  /** Waits, where a service asks for it. */
  wait(ms: number): Promise<void>;
  /** Milliseconds of a clock. */
  now(): number;
  /** What makes a handle and an e-mail address new. */
  readonly mark: string;
  /** The headers by which the operator calls; null where nobody knows the key. */
  readonly operator: Readonly<Record<string, string>> | null;
}

/** What became of a step. */
export interface StepOutcome {
  /** Counted from 1; 0 for somebody who comes, -1 for somebody who goes. */
  readonly n: number;
  readonly step: string;
  readonly as: string;
  /** Method and path, as they were sent. */
  readonly call: string;
  readonly status: number | null;
  readonly ms: number;
  readonly met: boolean;
  readonly differences: readonly Difference[];
  /** Why nothing came back, or why it could not be sent; null where something did. */
  readonly fault: string | null;
  /** What was kept of the reply. */
  readonly kept: Readonly<Record<string, Json>>;
  readonly trace: string | null;
  readonly body: Json | undefined;
}

const WITHIN_MS = 10_000;
/** A service that asks for so long is waited for, when people join. */
const MOST_WAIT_MS = 70_000;

/**
 * Runs a walk: makes its people, does its steps one after another until one is not met, and removes the people again, whatever happened.
 * Each outcome is given as it comes; whoever stops asking stops the walk.
 */
export async function* runWalk(walk: Walk, runner: WalkRunner): AsyncGenerator<StepOutcome, void, void> {
  const { people = [], joining = JOINING, leaving = LEAVING, steps } = walk;
  const known = new Map<string, Json>();
  const joined: string[] = [];
  try {
    for (const person of people) {
      for (const [part, value] of Object.entries(newPerson(person, runner.mark))) known.set(`${person}.${part}`, value);
      for (const call of joining.calls) {
        const outcome = await join(person, { step: `${person} joins`, ...call }, known, runner);
        yield outcome;
        if (!outcome.met) return;
        // From the first call on there is somebody to remove.
        if (!joined.includes(person)) joined.push(person);
      }
    }
    const sends = (as: string): Readonly<Record<string, string>> | null => {
      if (as === 'nobody') return {};
      if (as === 'operator') return runner.operator;
      return filled(joining.sends ?? JOINING.sends, seenBy(as, known)) as Record<string, string>;
    };
    for (const [i, step] of steps.entries()) {
      const outcome = await take(i + 1, step, known, runner, sends);
      yield outcome;
      if (!outcome.met) return;
    }
  } finally {
    for (const person of joined) {
      const seen = seenBy(person, known);
      const outcome = await take(
        -1,
        { step: `${person} leaves`, as: person, ...leaving },
        seen,
        runner,
        () => filled(joining.sends ?? JOINING.sends, seen) as Record<string, string>,
      );
      yield outcome;
    }
  }
}

/** Who a person is before the service knows them. */
function newPerson(person: string, mark: string): Record<'handle' | 'name' | 'email' | 'password', string> {
  const handle = `${person.toLowerCase().slice(0, 12)}_${mark}`.slice(0, 24);
  return {
    handle,
    name: `${person[0]!.toUpperCase()}${person.slice(1)} of a walk`,
    email: `${handle}@walks.example`,
    password: `walked-${mark}-${person}`,
  };
}

/** What is known, with a person's own under `person`. */
function seenBy(person: string, known: Known): Map<string, Json> {
  const own = [...known].filter(([name]) => name.startsWith(`${person}.`));
  return new Map([
    ...known,
    ...own.map(([name, value]) => [`person.${name.slice(person.length + 1)}`, value] as const),
  ]);
}

async function join(
  person: string,
  joining: WalkStep,
  known: Map<string, Json>,
  runner: WalkRunner,
): Promise<StepOutcome> {
  for (let waited = 0; ;) {
    const came = { after: null as string | null };
    const outcome = await take(
      0,
      { as: 'nobody', ...joining },
      seenBy(person, known),
      {
        ...runner,
        send: async (call) => {
          const back = await runner.send(call);
          came.after = back.status === 429 ? (back.headers['retry-after'] ?? null) : null;
          return back;
        },
      },
      () => ({}),
    );
    const wait = Number(came.after ?? 0) * 1000;
    if (wait > 0 && waited + wait <= MOST_WAIT_MS) {
      waited += wait;
      await runner.wait(wait);
      continue;
    }
    for (const [name, value] of Object.entries(outcome.kept)) known.set(`${person}.${name}`, value);
    const refused = outcome.status !== null && outcome.status >= 400;
    return refused ? { ...outcome, met: false, fault: `${person} could not join: ${reasonOf(outcome.body)}` } : outcome;
  }
}

const reasonOf = (body: Json | undefined): string =>
  String(valueAt(body, '/detail') ?? JSON.stringify(body ?? null)).slice(0, 300);

async function take(
  n: number,
  step: WalkStep,
  known: Map<string, Json>,
  runner: WalkRunner,
  sends: (as: string) => Readonly<Record<string, string>> | null,
): Promise<StepOutcome> {
  const { as = 'nobody', expect = {}, keep = {} } = step;
  const begun = runner.now();
  const head = { n, step: step.step ?? '', as };
  const failed = (call: string, fault: string): StepOutcome => ({
    ...head,
    call,
    status: null,
    ms: runner.now() - begun,
    met: false,
    differences: [],
    fault,
    kept: {},
    trace: null,
    body: undefined,
  });
  let sent: SentCall;
  try {
    sent = callOf(step, known, sends(as));
  } catch (error) {
    return failed(step.call, (error as Error).message);
  }
  const call = `${sent.method} ${sent.path}`;
  try {
    const came = await runner.send(sent);
    const ms = runner.now() - begun;
    const trace = came.headers['gather-trace'] ?? null;
    const rows = expect.rows === undefined ? null : await rowsOf(trace, runner);
    const kept: Record<string, Json> = {};
    const lacking: Difference[] = [];
    for (const [name, from] of Object.entries(keep)) {
      const value = from.startsWith('header ')
        ? came.headers[from.slice(7).trim().toLowerCase()]
        : valueAt(came.body, from);
      if (value === undefined) lacking.push({ at: `keep/${name}`, expected: `a value at ${from}`, came: undefined });
      else kept[name] = value;
    }
    for (const [name, value] of Object.entries(kept)) known.set(name, value);
    // Where the reply is not even such a one, all else that is expected says nothing more.
    const { status: ofStatus, problem } = expect;
    const bare = { ...(ofStatus !== undefined && { status: ofStatus }), ...(problem !== undefined && { problem }) };
    const wanted: Expectation = lacking.length > 0 ? bare : expect;
    const unfit = wanted.schema === undefined ? [] : await runner.unfit(filled(wanted.schema, known), came.body);
    const different = [...differences(wanted, { ...came, rows, unfit }, known), ...lacking];
    const { status, body } = came;
    return {
      ...head,
      call,
      status,
      ms,
      met: different.length === 0,
      differences: different,
      fault: null,
      kept,
      trace,
      body,
    };
  } catch (error) {
    if (error instanceof MissingValue) return failed(call, error.message);
    return failed(call, (error as Error).message);
  }
}

function callOf(step: WalkCall, known: Known, sends: Readonly<Record<string, string>> | null): SentCall {
  if (sends === null)
    throw new Error(
      'It is called as the operator, whose key is not known here: say where the data folder is, or set GATHER_LANE_OPERATOR_KEY.',
    );
  const [method, path] = step.call.split(' ') as [string, string];
  const headers = filled({ ...step.headers }, known) as Record<string, string>;
  return {
    method,
    path: filledPath(path, known),
    headers: { ...sends, ...headers },
    body: step.body === undefined ? undefined : filled(step.body, known),
    withinMs: step.within === undefined ? WITHIN_MS : msOf(step.within),
  };
}

const UNITS = { ms: 1, s: 1_000, m: 60_000 };
function msOf(text: string): number {
  const [, count, unit] = /^(\d+)(ms|s|m)$/.exec(text)!;
  return Number(count) * UNITS[unit as keyof typeof UNITS];
}

async function rowsOf(trace: string | null, runner: WalkRunner): Promise<readonly RowChange[] | null> {
  if (trace === null || runner.operator === null) return null;
  const { status, body } = await runner.send({
    method: 'GET',
    path: `/v1/operator/traces/${trace}`,
    headers: runner.operator,
    body: undefined,
    withinMs: WITHIN_MS,
  });
  return status === 200 ? ((body as unknown as { rows: readonly RowChange[] }).rows ?? null) : null;
}
