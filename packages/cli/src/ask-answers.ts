import type { Answer, Answers, PlannedChange } from '@gather-lane/server';
import { Failure } from './failure.js';
import { print } from './output.js';
import { typedValue } from './own-fields.js';

/** Asks on a terminal what is to be done about each hazard that nobody has answered. */
export async function askAnswers(
  open: readonly PlannedChange[],
  drop: readonly string[],
  known: Answers,
): Promise<Answers> {
  const [{ default: input }, { default: select }] = await Promise.all([
    import('@inquirer/input'),
    import('@inquirer/select'),
  ]);
  const answers: Record<string, Answers[string]> = { ...known };
  for (const { change, open: hazards } of open) {
    const path = `${change.table}.${change.name}`;
    print(`\n${change.sentence}`);
    for (const { kind, sentence, ways } of hazards) {
      if (kind === 'data-lost' && !drop.includes(path))
        throw new Failure(`${sentence} Say --drop ${path} if that is meant.`);
      if (ways.length === 0) throw new Failure(sentence);
      const chosen = await select({
        message: sentence,
        choices: ways.map(({ answer, does }) => ({ name: `${answer}  ${does}`, value: answer })),
      });
      const key = /^\{ (\w+): /.exec(chosen)?.[1];
      const typed = key === undefined ? '' : await input({ message: `${key}:`, required: true });
      const value = key === 'constant' ? typedValue(change.field!.kind, typed) : typed;
      const answer = (key === undefined ? chosen : { [key]: value }) as Answer;
      answers[path] = { ...answers[path], [kind]: answer };
    }
  }
  return answers;
}
