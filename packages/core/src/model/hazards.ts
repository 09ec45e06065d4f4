import { canConvert, covers, type Change } from './changes.js';
import { columnRule, heldAs, pathOf, type Field, type FieldValue } from './field.js';
import { isMaker, makerFault, MAKER_NAMES } from './makers.js';
import { valueFault } from './value.js';

/** What the rows say about a change. Counts are exact; examples are values as text, a few of them. */
export interface Facts {
  /** Rows of the table. */
  readonly rows: number;
  /** Rows without a value of the field. */
  readonly without: number;
  /** Rows whose value does not fit the new type or rule. */
  readonly misfits: number;
  readonly misfitExamples: readonly string[];
  /** Misfits that would not fit even when cut or moved to the nearest bound. */
  readonly beyondNearest: number;
  /** Rows that hold a value which an earlier row holds too. */
  readonly repeats: number;
  readonly repeatExamples: readonly string[];
  /** Rows that name a user who is not there. */
  readonly orphans: number;
  readonly orphanExamples: readonly string[];
}

/** Facts of a table without rows. */
export const NO_FACTS: Facts = {
  rows: 0,
  without: 0,
  misfits: 0,
  misfitExamples: [],
  beyondNearest: 0,
  repeats: 0,
  repeatExamples: [],
  orphans: 0,
  orphanExamples: [],
};

/** What can go wrong with a change on rows that are there. */
export type HazardKind =
  | 'rows-without-value'
  | 'values-repeat'
  | 'values-do-not-fit'
  | 'orphans'
  | 'data-lost'
  | 'no-conversion'
  | 'writes-blocked'
  | 'rows-unproved';

/** A way out that can be chosen, as an answer is written. */
export interface Way {
  /** How the answer is written: `{ constant: … }`, `clear`. */
  readonly answer: string;
  readonly does: string;
}

/** Something that would go wrong if the change were simply made, and the safe ways. */
export interface Hazard {
  readonly kind: HazardKind;
  readonly sentence: string;
  readonly rows: number;
  readonly examples: readonly string[];
  /** Ways to choose from; none where the safe way is taken without asking, or where there is none. */
  readonly ways: readonly Way[];
  /** What is done without asking; null where somebody has to choose. */
  readonly safely: string | null;
}

/** An answer to a hazard, as an answers file holds it. */
export type Answer =
  | 'clear'
  | 'nearest'
  | 'number'
  | 'keep-first'
  | 'drop'
  | { readonly constant: FieldValue }
  | { readonly column: string }
  | { readonly make: string };

/** Answers by field path, then by hazard. */
export type Answers = Readonly<Record<string, Readonly<Partial<Record<HazardKind, Answer>>>>>;

/** Columns that a back-fill may copy from, by table. */
export const COPIABLE: Record<Field['table'], readonly string[]> = {
  users: ['handle', 'name', 'bio', 'created_at'],
  posts: ['body', 'created_at'],
  comments: ['body', 'created_at'],
};

const rows = (n: number): string => (n === 1 ? '1 row' : `${n.toLocaleString('en-GB')} rows`);

/** What would go wrong with a change on the rows that are there. None on an empty table. */
export function hazardsOf(change: Change, facts: Facts): Hazard[] {
  const { kind, field } = change;
  const path = pathOf(change);
  if (kind === 'change-type' && !canConvert(change.present!.type, field!.kind))
    return [
      hazard(
        'no-conversion',
        `There is no safe way from ${change.present!.type} to ${heldAs(field!.kind)}: take ${path} out of the model file and add the field under another name, filled from this one.`,
        { rows: facts.rows },
      ),
    ];
  if (facts.rows === 0) return [];
  const found: Hazard[] = [];
  if (kind === 'drop-field' && facts.rows > facts.without)
    found.push(
      hazard(
        'data-lost',
        `${rows(facts.rows - facts.without)} would lose ${facts.rows - facts.without === 1 ? 'its value' : 'their values'} for good.`,
        {
          rows: facts.rows - facts.without,
          ways: [{ answer: 'drop', does: 'drop the column with what it holds' }],
        },
      ),
    );
  if (kind === 'require' && facts.without > 0)
    found.push(
      hazard(
        'rows-without-value',
        `${rows(facts.without)} of ${facts.rows.toLocaleString('en-GB')} ${facts.without === 1 ? 'has' : 'have'} no value, and there is no default.`,
        {
          rows: facts.without,
          ways: backfills(field!),
        },
      ),
    );
  if ((kind === 'change-type' || kind === 'change-rule' || kind === 'prove-rule') && facts.misfits > 0)
    found.push(
      hazard(
        'values-do-not-fit',
        `${rows(facts.misfits)} ${facts.misfits === 1 ? 'holds a value that does' : 'hold values that do'} not fit.`,
        {
          rows: facts.misfits,
          examples: facts.misfitExamples,
          ways: mends(field!, facts),
        },
      ),
    );
  if (kind === 'make-unique' && facts.repeats > 0)
    found.push(
      hazard(
        'values-repeat',
        `${rows(facts.repeats)} ${facts.repeats === 1 ? 'repeats a value' : 'repeat values'} of another row.`,
        {
          rows: facts.repeats,
          examples: facts.repeatExamples,
          ways: [
            ...(field!.kind === 'string' ? [{ answer: 'number', does: 'append 2, 3, … to all but the oldest' }] : []),
            ...(field!.required ? [] : [{ answer: 'keep-first', does: 'empty all but the oldest' }]),
          ],
        },
      ),
    );
  if ((kind === 'add-reference' || kind === 'change-type') && facts.orphans > 0)
    found.push(
      hazard(
        'orphans',
        `${rows(facts.orphans)} ${facts.orphans === 1 ? 'names a user' : 'name users'} who ${facts.orphans === 1 ? 'is' : 'are'} not there.`,
        {
          rows: facts.orphans,
          examples: facts.orphanExamples,
          ways: [{ answer: 'clear', does: 'empty them' }],
        },
      ),
    );
  if (kind === 'add-index' || kind === 'make-unique')
    found.push(
      hazard('writes-blocked', `Building an index over ${rows(facts.rows)} would make every write wait.`, {
        rows: facts.rows,
        safely: 'It is built CONCURRENTLY, beside the writes.',
      }),
    );
  if (
    kind === 'require' ||
    kind === 'add-reference' ||
    (kind === 'change-rule' && !covers(columnRule(field!), change.present?.rule ?? null))
  )
    found.push(
      hazard('rows-unproved', `Proving it for ${rows(facts.rows)} under a lock would stop all reads and writes.`, {
        rows: facts.rows,
        safely: 'It is added NOT VALID, which holds for new rows at once, and validated beside the work.',
      }),
    );
  return found;
}

function hazard(kind: HazardKind, sentence: string, more: Partial<Hazard>): Hazard {
  return { kind, sentence, rows: 0, examples: [], ways: [], safely: null, ...more };
}

function backfills(field: Field): Way[] {
  const columns = COPIABLE[field.table];
  const makers = MAKER_NAMES.filter((name) => makerFault(name, field.kind) === null);
  return [
    ...(field.unique
      ? []
      : [{ answer: `{ constant: ${PLACEHOLDER} }`, does: `the same value for all of them${choices(field)}` }]),
    ...(field.kind === 'string'
      ? [{ answer: `{ column: ${columns[0]} }`, does: `copied from ${columns.join(', ')} or a field` }]
      : [{ answer: `{ column: ${PLACEHOLDER} }`, does: 'copied from another field of the same type' }]),
    ...(makers.length > 0
      ? [
          {
            answer: `{ make: ${field.unique && makers.includes('handle') ? 'handle' : makers.includes('place') ? 'place' : makers[0]} }`,
            does: `made up: ${makers.join(', ')}${field.unique ? '; a number makes each unique' : ''}`,
          },
        ]
      : []),
  ];
}

/** Stands for a value in a way out: whoever chooses it says the value. */
export const PLACEHOLDER = '…';

/** What a constant may be, where that is not told by its type. */
const choices = ({ rule }: Field): string =>
  rule.enum ? `: one of ${rule.enum.map((value) => JSON.stringify(value)).join(', ')}` : '';

function mends(field: Field, facts: Facts): Way[] {
  const nearest = field.kind === 'string' ? 'cut them to length' : 'move them to the nearest bound';
  return [
    ...(facts.beyondNearest === 0 && ['string', 'integer', 'number'].includes(field.kind)
      ? [{ answer: 'nearest', does: nearest }]
      : []),
    ...(field.required ? [] : [{ answer: 'clear', does: 'empty them' }]),
    { answer: `{ constant: ${PLACEHOLDER} }`, does: `the same value for all of them${choices(field)}` },
  ];
}

/** The hazards of a change that nobody has answered yet. */
export const unanswered = (change: Change, hazards: readonly Hazard[], answers: Answers): Hazard[] =>
  hazards.filter(({ kind, safely }) => safely === null && answerTo(change, kind, answers) === undefined);

/** The answer that was given to a hazard of a change. */
export const answerTo = (
  change: Pick<Change, 'table' | 'name'>,
  kind: HazardKind,
  answers: Answers,
): Answer | undefined => answers[pathOf(change)]?.[kind];

/** What is wrong with an answer to a hazard, as a sentence, or null. */
export function answerFault(change: Change, { kind, ways }: Hazard, answer: Answer): string | null {
  const path = `${pathOf(change)}, ${kind}`;
  const { field } = change;
  if (kind === 'data-lost')
    return answer === 'drop' ? null : `${path}: no answer but that ${pathOf(change)} is to be dropped.`;
  if (kind === 'no-conversion') return `${path}: there is no answer to this one.`;
  if (typeof answer === 'string')
    return ways.some((way) => way.answer === answer)
      ? null
      : `${path}: "${answer}" is no way out here. Choose one of ${ways.map((way) => way.answer).join(', ')}.`;
  const [key, ...more] = Object.keys(answer);
  if (more.length > 0 || !ways.some((way) => way.answer.startsWith(`{ ${key}:`)))
    return `${path}: choose one of ${ways.map((way) => way.answer).join(', ')}.`;
  if ('constant' in answer) {
    if (answer.constant === null || answer.constant === PLACEHOLDER)
      return `${path}: the constant is still to be chosen: write the value that all of these rows get.`;
    const fault = valueFault(field!, answer.constant);
    return fault && `${path}: the constant ${JSON.stringify(answer.constant)} ${fault}.`;
  }
  if ('column' in answer && answer.column === PLACEHOLDER)
    return `${path}: the column to copy from is still to be named.`;
  if ('make' in answer) {
    if (!isMaker(answer.make))
      return `${path}: there is no maker "${answer.make}"; there is ${MAKER_NAMES.join(', ')}.`;
    const fault = makerFault(answer.make, field!.kind);
    return fault && `${path}: ${fault}.`;
  }
  return null;
}
