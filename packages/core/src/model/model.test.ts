import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Chance } from '../fill/chance.js';
import { tolerates, knownModel, changesBetween, covers, type PresentField } from './changes.js';
import { columnOf, columnRule, heldAs, fieldNameOf, type Field, type FieldRule, type OwnFields } from './field.js';
import { answerFault, hazardsOf, NO_FACTS, unanswered } from './hazards.js';
import { CannotMake, makeValue } from './makers.js';
import { readModel, type FieldSource } from './read.js';
import { valueFault } from './value.js';
import { visibleFields, writableFields } from './visible.js';

const read = (fields: Record<string, FieldSource>, table: 'users' | 'posts' = 'posts') =>
  readModel({ [table]: { fields } });
const field = (source: FieldSource, name = 'one', table: 'users' | 'posts' = 'posts'): Field => {
  const { model, faults } = read({ [name]: source }, table);
  expect(faults).toEqual([]);
  return model[0]!;
};
const fault = (source: FieldSource, name = 'one') => {
  const { faults } = read({ [name]: source });
  return faults.map(({ path, text }) => `${path.slice(2).join('.')} ${text}`).join('; ');
};
/** The column that a field would have, once it is migrated. */
const column = (of: Field): PresentField => ({
  table: of.table,
  name: of.name,
  type: heldAs(of.kind),
  required: of.required,
  default: of.default,
  rule: columnRule(of),
  ruleProved: true,
  unique: of.unique ? 'valid' : 'none',
  index: !of.unique && (of.indexed || of.kind === 'user') ? 'valid' : 'none',
  reference: of.kind === 'user' ? 'proved' : 'none',
});
const kinds = (present: PresentField[], wanted: OwnFields) => changesBetween(present, wanted).map(({ kind }) => kind);

describe('the model file', () => {
  test('gives every field its column, whatever its name, and back', () => {
    expect(columnOf('lockNumber')).toBe('f_lock_number');
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z][A-Za-z0-9]{0,20}$/),
        fc.stringMatching(/^[a-z][A-Za-z0-9]{0,20}$/),
        (a, b) => {
          expect(fieldNameOf(columnOf(a))).toBe(a);
          expect(columnOf(a) === columnOf(b)).toBe(a === b);
        },
      ),
    );
    // SQL's words are names like any other; JavaScript's own are not.
    expect(field({ type: 'string' }, 'order').name).toBe('order');
    expect(fault({ type: 'string' }, 'constructor')).toContain('meaning of its own');
  });

  test.each<[string, FieldSource, string]>([
    ['no type', {}, 'has no type: say string, integer, number or boolean'],
    ['a keyword of another type', { type: 'integer', maxLength: 3 }, 'maxLength does not go with type integer'],
    ['an unknown format', { type: 'string', format: 'colour' }, 'format must be date or date-time, not colour'],
    ['an enum of numbers', { type: 'string', enum: [1] }, 'enum must hold texts only'],
    ['a repeated enum value', { type: 'string', enum: ['a', 'a'] }, 'enum names a value twice'],
    ['bounds the wrong way round', { type: 'integer', minimum: 3, maximum: 2 }, 'minimum is above maximum 2'],
    ['a pattern without a longest length', { type: 'string', pattern: '^a+$' }, 'pattern needs a maxLength'],
    [
      'a pattern that goes back',
      { type: 'string', maxLength: 9, pattern: '(a)\\1' },
      'no pattern that runs in linear time',
    ],
    [
      'a default that breaks the rule',
      { type: 'string', maxLength: 3, default: 'four' },
      `default breaks the field's own rule: "four"`,
    ],
    [
      'unique but not for all eyes',
      { type: 'string', unique: true, audience: 'owner' },
      'unique needs audience anyone',
    ],
    [
      'seen by nobody who may write it',
      { type: 'string', audience: 'operator', writable: 'owner' },
      'writable must be operator',
    ],
    [
      'a reference that must be there',
      { references: 'users', required: true },
      'required does not go with a reference',
    ],
    ['a reference to something else', { references: 'posts' }, 'references must be users'],
    [
      'required of the operator alone',
      { type: 'boolean', writable: 'operator', required: true },
      'required needs a default',
    ],
    ['an unknown maker', { type: 'string', fill: 'plase' }, 'did you mean place?'],
    [
      'a maker of another type',
      { type: 'boolean', fill: 'place' },
      'fill place makes values for fields of type string, not boolean',
    ],
  ])('refuses %s, and says what to do', (_, source, text) => expect(fault(source)).toContain(text));

  test('checks values in linear time, by code points, and never lets NUL in', () => {
    const code = field({ type: 'string', maxLength: 40_00, pattern: '^(a+)+$' });
    expect(valueFault(code, 'a'.repeat(3_000) + '!')).toContain('pattern');
    expect(valueFault(field({ type: 'string', maxLength: 2 }), '🛶🛶')).toBeNull();
    expect(valueFault(field({ type: 'string' }), 'a\0')).toContain('NUL');
    const odd = field({ type: 'string', enum: [`it's`, '🛶 "x"'] });
    expect(valueFault(odd, '🛶 "x"')).toBeNull();
    expect(valueFault(odd, 'it')).toBe(`must be one of it's, 🛶 "x"`);
    expect(valueFault(field({ type: 'string', format: 'date' }), '2026-02-30')).not.toBeNull();
    expect(valueFault(field({ type: 'integer', required: true }), null)).toContain('required');
  });
});

describe('who sees and writes a field', () => {
  const { model } = read({
    open: { type: 'string' },
    own: { type: 'string', audience: 'owner', writable: 'at-creation' },
    hidden: { type: 'string', audience: 'operator' },
  });
  const values = { open: 'a', own: 'b', hidden: 'c' };

  test('nobody is shown what is not for them: it is absent, not null', () => {
    const seen = (caller: Parameters<typeof visibleFields>[3]) => visibleFields(model, 'posts', values, caller, 'me');
    expect(seen({ kind: 'nobody' })).toEqual({ open: 'a' });
    expect(seen({ kind: 'user', id: 'another' })).toEqual({ open: 'a' });
    expect(seen({ kind: 'user', id: 'me' })).toEqual({ open: 'a', own: 'b' });
    expect(seen({ kind: 'operator' })).toEqual(values);
  });

  test('the owner writes what they may, when they may', () => {
    const names = (moment: 'creation' | 'edit') => writableFields(model, 'posts', moment).map(({ name }) => name);
    expect(names('creation')).toEqual(['open', 'own']);
    expect(names('edit')).toEqual(['open']);
  });
});

const aRule: fc.Arbitrary<FieldSource> = fc.oneof(
  fc.record({ type: fc.constant('string'), minLength: fc.nat(6), maxLength: fc.integer({ min: 6, max: 30 }) }),
  fc.record({
    type: fc.constant('integer'),
    minimum: fc.integer({ min: -9, max: 0 }),
    maximum: fc.integer({ min: 0, max: 9 }),
  }),
  fc.record({ type: fc.constant('number'), minimum: fc.integer({ min: -9, max: 0 }) }),
  fc.record({
    type: fc.constant('string'),
    enum: fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd'), { minLength: 1 }),
  }),
  fc.constantFrom<FieldSource>(
    { type: 'boolean' },
    { type: 'string', format: 'date' },
    { type: 'string', format: 'date-time' },
    { type: 'string', maxLength: 12, pattern: '^[A-Z]{2}-[0-9]{3}$' },
    { type: 'string', fill: 'place', maxLength: 9 },
    { type: 'string', fill: 'handle', minLength: 30 },
  ),
);

describe('made-up values', () => {
  test('fit the rule of their field, and are the same for the same seed', () => {
    fc.assert(
      fc.property(aRule, fc.boolean(), fc.nat(), (source, required, seed) => {
        const of = field({ ...source, required });
        const made = makeValue(of, { chance: new Chance(seed), serial: seed });
        expect(valueFault(of, made)).toBeNull();
        expect(makeValue(of, { chance: new Chance(seed), serial: seed })).toBe(made);
      }),
    );
  });

  test('of a unique field differ from row to row, or are refused with a word on what would help', () => {
    for (const source of [
      { type: 'string', maxLength: 12 },
      { type: 'integer' },
      { type: 'string', fill: 'handle', maxLength: 24 },
    ]) {
      const of = field({ ...source, unique: true, required: true });
      const made = Array.from({ length: 500 }, (_, i) => makeValue(of, { chance: new Chance(i % 3), serial: i + 1 }));
      expect(new Set(made).size).toBe(500);
    }
    const few = field({ type: 'integer', maximum: 3, unique: true, required: true });
    expect(() => makeValue(few, { chance: new Chance(1), serial: 4 })).toThrow(CannotMake);
    expect(makeValue({ ...few, required: false }, { chance: new Chance(1), serial: 4 })).toBeNull();
  });
});

describe('changes', () => {
  const lock = field({ type: 'integer', minimum: 1, maximum: 21, indexed: true });

  test('are none between a model and its own columns, and all between it and none', () => {
    const { model } = read({
      a: { type: 'string', required: true, maxLength: 9 },
      b: { references: 'users' },
      c: { type: 'string', unique: true },
      d: { type: 'boolean', default: false, required: true },
    });
    expect(changesBetween(model.map(column), model)).toEqual([]);
    expect(kinds([], model)).toEqual([
      'add-field',
      'require',
      'add-field',
      'add-reference',
      'add-index',
      'add-field',
      'make-unique',
      'add-field',
    ]);
    expect(kinds(model.map(column), [])).toEqual(Array(4).fill('drop-field'));
  });

  test.each<[string, Partial<PresentField>, Field, string[]]>([
    ['another type', { type: 'text' }, lock, ['change-type', 'add-index']],
    ['another rule', { rule: { minimum: 1, maximum: 9 } }, lock, ['change-rule']],
    ['a rule for new rows only', { ruleProved: false }, lock, ['prove-rule']],
    ['an index whose building was interrupted', { index: 'broken' }, lock, ['add-index']],
    ['an index too many', { unique: 'valid', index: 'none' }, { ...lock, indexed: false }, ['allow-repeats']],
    ['NOT NULL too many', { required: true }, lock, ['make-optional']],
    ['another default', { default: 3 }, lock, ['change-default']],
  ])('tell %s', (_, present, wanted, expected) =>
    expect(kinds([{ ...column(lock), ...present }], [wanted])).toEqual(expected),
  );

  test('a rule covers another only if every value of that fits it', () => {
    const lengths = fc.record({ minLength: fc.nat(4), maxLength: fc.integer({ min: 1, max: 6 }) });
    const values = fc.record({ enum: fc.uniqueArray(fc.constantFrom('', 'a', 'bb', 'ccc'), { minLength: 1 }) });
    const texts = ['', 'a', 'bb', 'ccc', 'dddd', 'eeeee', 'ffffff'];
    const fits = (rule: FieldRule, text: string) =>
      rule.enum ? rule.enum.includes(text) : text.length >= rule.minLength! && text.length <= rule.maxLength!;
    fc.assert(
      fc.property(fc.oneof(lengths, values), fc.oneof(lengths, values), (wide: FieldRule, narrow: FieldRule) => {
        if (covers(wide, narrow))
          for (const text of texts.filter((each) => fits(narrow, each))) expect(fits(wide, text)).toBe(true);
      }),
    );
    expect(covers({ minimum: 1, maximum: 9 }, { minimum: 2, maximum: 9 })).toBe(true);
    expect(covers({ minimum: 2, maximum: 9 }, { minimum: 1, maximum: 9 })).toBe(false);
  });

  test('a running service bears what it would not notice, and nothing else', () => {
    const strict = field({ type: 'integer', minimum: 5, maximum: 9, required: true, unique: true });
    const [older, newer] = [knownModel([lock]), knownModel([strict])];
    const made = changesBetween([column(lock)], [strict]);
    const borne = (model: typeof older) => made.filter((change) => tolerates(model, change)).map(({ kind }) => kind);
    expect(made.map(({ kind }) => kind)).toEqual(['change-rule', 'require', 'make-unique', 'drop-index']);
    expect(borne(older)).toEqual(['drop-index']);
    expect(borne(newer)).toEqual(['change-rule', 'require', 'make-unique', 'drop-index']);
    // One that does not know the field writes rows without it.
    expect(borne([])).toEqual(['change-rule', 'make-unique', 'drop-index']);
    const [drop] = changesBetween([column(lock)], []);
    expect([tolerates(older, drop!), tolerates([], drop!)]).toEqual([false, true]);
  });
});

describe('hazards', () => {
  const required = field({ type: 'string', required: true, maxLength: 5 });
  const [, require] = changesBetween([], [required]);

  test('are none on an empty table', () => expect(hazardsOf(require!, NO_FACTS)).toEqual([]));

  test('of rows without a value are counted, offered ways out, and asked about until answered', () => {
    const hazards = hazardsOf(require!, { ...NO_FACTS, rows: 60, without: 58 });
    const [missing, proof] = hazards;
    expect(missing).toMatchObject({ kind: 'rows-without-value', rows: 58, safely: null });
    expect(missing!.sentence).toBe('58 rows of 60 have no value, and there is no default.');
    expect(missing!.ways.map(({ answer }) => answer.split(':')[0])).toEqual(['{ constant', '{ column', '{ make']);
    expect(proof).toMatchObject({ kind: 'rows-unproved', safely: expect.stringContaining('NOT VALID') });
    expect(unanswered(require!, hazards, {})).toEqual([missing]);
    expect(unanswered(require!, hazards, { 'posts.one': { 'rows-without-value': { constant: 'a' } } })).toEqual([]);
    expect(answerFault(require!, missing!, { constant: 'too long' })).toContain('must NOT have more than 5 characters');
    expect(answerFault(require!, missing!, { constant: 'fits' })).toBeNull();
    expect(answerFault(require!, missing!, { make: 'plaice' })).toContain('there is no maker "plaice"');
    expect(answerFault(require!, missing!, 'nearest')).toContain('no way out here');
  });

  test('of data that would go are answered on the command line alone', () => {
    const [drop] = changesBetween([column(required)], []);
    const [lost] = hazardsOf(drop!, { ...NO_FACTS, rows: 9, without: 8 });
    expect(lost!.sentence).toBe('1 row would lose its value for good.');
    expect(answerFault(drop!, lost!, 'clear')).toContain('posts.one is to be dropped');
    expect(hazardsOf(drop!, { ...NO_FACTS, rows: 9, without: 9 })).toEqual([]);
  });

  test('say where there is no way from one type to another', () => {
    const flag = field({ type: 'boolean' });
    const [turn] = changesBetween([{ ...column(flag), type: 'date' }], [flag]);
    expect(hazardsOf(turn!, { ...NO_FACTS, rows: 1 })[0]).toMatchObject({ kind: 'no-conversion', ways: [] });
  });

  test('cutting is offered only where it helps', () => {
    const short = field({ type: 'string', minLength: 2, maxLength: 5 });
    const [rule] = changesBetween([{ ...column(short), rule: { minLength: 0, maxLength: 9 } }], [short]);
    const ways = (beyondNearest: number) =>
      hazardsOf(rule!, { ...NO_FACTS, rows: 3, misfits: 2, beyondNearest })[0]!.ways.map(({ answer }) => answer);
    expect(ways(0)).toEqual(['nearest', 'clear', '{ constant: … }']);
    expect(ways(1)).toEqual(['clear', '{ constant: … }']);
  });
});
