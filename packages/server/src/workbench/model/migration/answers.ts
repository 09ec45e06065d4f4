import { type Answers } from '@gather-lane/core';
import { Ajv } from 'ajv';
import { Type } from 'typebox';
import { parseDocument } from 'yaml';

const closed = { additionalProperties: false } as const;

const AnswerSchema = Type.Union(
  [
    Type.Literal('clear'),
    Type.Literal('nearest'),
    Type.Literal('number'),
    Type.Literal('keep-first'),
    Type.Object({ constant: Type.Unknown() }, closed),
    Type.Object({ column: Type.String() }, closed),
    Type.Object({ make: Type.String() }, closed),
  ],
  {
    description:
      'clear, nearest, number or keep-first; or { constant: … }, { column: … }, { make: … }: which of them go is said with each hazard',
  },
);

const HAZARDS = ['rows-without-value', 'values-repeat', 'values-do-not-fit', 'orphans'] as const;

/** Answers to hazards: by field, then by hazard. */
export const AnswersSchema = Type.Unsafe<Answers>(
  Type.Record(
    Type.String(),
    Type.Object(Object.fromEntries(HAZARDS.map((kind) => [kind, Type.Optional(AnswerSchema)])), closed),
  ),
);

/** Answers that cannot be read; the message says why. */
export class AnswersFault extends Error {
  override readonly name = 'AnswersFault';
}

const ajv = new Ajv({ strict: false });

const UNNAMED = /\/(?:column|make)$/;
const UNNAMED_ARE = { column: 'column to copy from', make: 'maker of the values' };

/**
 * Reads answers from YAML or JSON.
 * @param from how messages name where they come from
 * @throws AnswersFault
 */
export function readAnswers(text: string, from: string): Answers {
  const document = parseDocument(text);
  if (document.errors[0]) throw new AnswersFault(`${from}: ${document.errors[0].message}`);
  const answers: unknown = document.toJS() ?? {};
  const validate = ajv.compile(AnswersSchema);
  if (validate(answers)) return answers as Answers;
  const empty = validate.errors!.find(({ instancePath, keyword }) => keyword === 'type' && UNNAMED.test(instancePath));
  if (empty) {
    const [field, hazard, key] = empty.instancePath.slice(1).split('/');
    throw new AnswersFault(`${from}, ${field}, ${hazard}: name the ${UNNAMED_ARE[key as 'column' | 'make']}.`);
  }
  const { instancePath, keyword, params } = validate.errors!.find((error) => error.keyword !== 'const')!;
  const place = instancePath.slice(1).replaceAll('/', ', ') || 'the file';
  const said =
    keyword === 'additionalProperties'
      ? `there is no hazard "${String((params as { additionalProperty: string }).additionalProperty)}": there is ${HAZARDS.join(', ')}`
      : 'write clear, nearest, number or keep-first, or { constant: … }, { column: … } or { make: … }';
  throw new AnswersFault(`${from}, ${place}: ${said}.`);
}
