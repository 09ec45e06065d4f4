import type { ModelChanges } from '@gather-lane/client';

/** A change of the model, as the service plans it. */
export type PlannedChange = ModelChanges['changes'][number];
/** Something that would go wrong with it. */
export type Hazard = PlannedChange['hazards'][number];

/** What was chosen for a hazard: a way out, and what was typed for it where it needs something. */
export interface Choice {
  readonly way: string;
  readonly text: string;
}

/** Choices by field and hazard. */
export type Choices = Record<string, Choice>;

/** How a choice is filed. */
export const choiceKey = ({ field }: PlannedChange, { kind }: Hazard): string => `${field} ${kind}`;

/** `constant`, `column` or `make`, where a way out needs something typed. */
export const needsText = (way: string): string | null => /^\{ (\w+): /.exec(way)?.[1] ?? null;

/** What a way out suggests to type. */
export const suggestion = (way: string): string => /^\{ \w+: (.*) \}$/.exec(way)?.[1]?.replace(/^…$/, '') ?? '';

/** The hazards that somebody has to choose for. */
export const openHazards = (changes: readonly PlannedChange[]): { change: PlannedChange; hazard: Hazard }[] =>
  changes.flatMap((change) => change.hazards.filter(({ open }) => open).map((hazard) => ({ change, hazard })));

/** Whether every hazard has a choice that says all it needs. */
export const isAnswered = (changes: readonly PlannedChange[], choices: Choices): boolean =>
  openHazards(changes).every(({ change, hazard }) => {
    const choice = choices[choiceKey(change, hazard)];
    return choice !== undefined && (needsText(choice.way) === null || choice.text !== '');
  });

/** The choices as the service takes them. */
export function toRequest(changes: readonly PlannedChange[], choices: Choices) {
  const answers: Record<string, Record<string, unknown>> = {};
  const drop: string[] = [];
  for (const { change, hazard } of openHazards(changes)) {
    const choice = choices[choiceKey(change, hazard)];
    if (!choice) continue;
    if (hazard.kind === 'data-lost') drop.push(change.field);
    else (answers[change.field] ??= {})[hazard.kind] = answerOf(change, choice);
  }
  return { answers, drop };
}

function answerOf({ holds }: PlannedChange, { way, text }: Choice): unknown {
  const key = needsText(way);
  if (key === null) return way;
  if (key !== 'constant') return { [key]: text };
  const typed =
    (holds === 'integer' || holds === 'number') && Number.isFinite(Number(text))
      ? Number(text)
      : holds === 'boolean' && /^(true|false)$/.test(text)
        ? text === 'true'
        : text;
  return { constant: typed };
}
