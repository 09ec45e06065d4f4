import randexp from 'randexp';
import type { Chance } from '../fill/chance.js';
import { FIRST_NAMES, LAST_NAMES, LINES } from '../fill/words.js';
import { handleFrom } from '../text/handle.js';
import { columnRule, MOST_FIELD_CODE_POINTS, type Field, type FieldKind, type FieldValue } from './field.js';
import { mustBeGiven } from './visible.js';
import { valueFault } from './value.js';

/** The package's types describe a default export that its CommonJS module does not have. */
const TextMaker = randexp as unknown as new (pattern: string) => {
  max: number;
  readonly defaultRange: { subtract(low: number, high: number): unknown };
  randInt: (low: number, high: number) => number;
  gen(): string;
};

/** What a maker may draw on. */
export interface Making {
  readonly chance: Chance;
  /** Differs for every row of a table, in this run and in others. */
  readonly serial: number;
  /** The name of the person whose row it is, where that is known. */
  readonly person?: string;
  /** Some user that a row may refer to, or null when there is nobody. */
  readonly user?: () => string | null;
}

const PLACES = [
  'Tidewick',
  'Upper Sallow',
  'Candle Lock',
  'Hob Lock',
  'Mill Reach',
  'Eyot End',
  'Long Pound',
  'Osier Bend',
];
const SPOTS = [
  'basin',
  'wharf',
  'visitor moorings',
  'towpath side',
  'offside',
  'below the bridge',
  'by the winding hole',
];

interface Maker {
  readonly kinds: readonly FieldKind[];
  readonly make: (making: Making) => string | number;
}

const MAKERS = {
  'first-name': { kinds: ['string'], make: ({ chance }) => chance.pick(FIRST_NAMES) },
  'full-name': { kinds: ['string'], make: ({ chance }) => `${chance.pick(FIRST_NAMES)} ${chance.pick(LAST_NAMES)}` },
  'handle': {
    kinds: ['string'],
    make: ({ chance, person }) => handleFrom(person ?? `${chance.pick(FIRST_NAMES)} ${chance.pick(LAST_NAMES)}`),
  },
  'place': { kinds: ['string'], make: ({ chance }) => `${chance.pick(PLACES)}, ${chance.pick(SPOTS)}` },
  'sentence': { kinds: ['string'], make: ({ chance }) => chance.pick(LINES) },
  'web-address': {
    kinds: ['string'],
    make: ({ chance, serial }) => `https://${chance.pick(FIRST_NAMES).toLowerCase()}-${serial.toString(36)}.example/`,
  },
  'serial': { kinds: ['string', 'integer'], make: ({ serial }) => serial },
} satisfies Record<string, Maker>;

/** Name of a maker of believable values. */
export type MakerName = keyof typeof MAKERS;
/** Every maker: what a field's `fill` may name, and what a back-fill may be made by. */
export const MAKER_NAMES = Object.keys(MAKERS) as readonly MakerName[];

/** True for the name of a maker. */
export const isMaker = (name: string): name is MakerName => Object.hasOwn(MAKERS, name);

/** Why a maker cannot fill fields of a kind, or null. */
export function makerFault(name: MakerName, kind: FieldKind): string | null {
  const { kinds } = MAKERS[name] as Maker;
  return kinds.includes(kind) ? null : `${name} makes values for fields of type ${kinds.join(' or ')}, not ${kind}`;
}

/** A field that nothing believable can be made for; the message says what would help. */
export class CannotMake extends Error {
  override readonly name = 'CannotMake';
}

const DAY = 86_400_000;
const TRIES = 12;
/** In five rows, one leaves out what it may leave out. */
const GIVEN = 0.8;

/**
 * A made-up value that fits a field's rule, the same for the same chance. A field that may be empty sometimes is.
 * @throws CannotMake for a required field whose rule leaves no way that is known here
 */
export function makeValue(field: Field, making: Making): FieldValue {
  const { chance } = making;
  const skipped = chance.float() >= GIVEN;
  if (skipped && !field.required) return null;
  const value = field.unique ? makeUnique(field, making) : makeAny(field, making);
  if (value !== null) return value;
  if (!field.required) return null;
  if (!mustBeGiven(field)) return field.default;
  throw new CannotMake(
    `No value can be made up for ${field.table}.${field.name}: ${field.unique ? 'it is unique, and its rule leaves too few values' : 'its pattern is too intricate'}. Name a maker that fits with fill, or make it optional.`,
  );
}

function makeAny(field: Field, making: Making): FieldValue {
  const { chance } = making;
  const { kind, rule } = field;
  switch (kind) {
    case 'enum':
      return chance.pick(rule.enum!);
    case 'boolean':
      return chance.float() < 0.5;
    case 'integer':
      return field.maker ? fit(field, make(field.maker, making)) : wholeNumber(field, chance);
    case 'number':
      return someNumber(field, chance);
    case 'date':
      return someInstant(chance).toISOString().slice(0, 10);
    case 'date-time':
      return someInstant(chance).toISOString();
    case 'user':
      return making.user?.() ?? null;
    case 'string':
      return field.maker
        ? fit(field, make(field.maker, making))
        : field.pattern !== null
          ? byPattern(field, chance)
          : fit(field, text(field, chance));
  }
}

const make = (name: string, making: Making): string | number => (MAKERS[name as MakerName] as Maker).make(making);

const someInstant = (chance: Chance): Date =>
  new Date(Date.UTC(2026, 0, 1) - chance.int(0, 2_000) * DAY + chance.int(0, DAY - 1));

function wholeNumber({ rule }: Field, chance: Chance): number {
  const least = rule.minimum ?? Math.min(0, rule.maximum ?? 0);
  return chance.int(least, rule.maximum ?? least + 1_000);
}

function someNumber({ rule }: Field, chance: Chance): number {
  const least = rule.minimum ?? Math.min(0, rule.maximum ?? 0);
  const most = rule.maximum ?? least + 1_000;
  return Math.min(most, Math.max(least, Math.round((least + chance.float() * (most - least)) * 100) / 100));
}

function text(field: Field, chance: Chance): string {
  const most = field.rule.maxLength ?? MOST_FIELD_CODE_POINTS;
  return most < 24
    ? chance.pick(FIRST_NAMES).toLowerCase()
    : most < 60
      ? `${chance.pick(PLACES)}, ${chance.pick(SPOTS)}`
      : chance.pick(LINES);
}

/** Cut or repeated until its length fits; null when it breaks the rule even so. */
function fit(field: Field, value: string | number): FieldValue {
  if (field.kind === 'integer') return valueFault(field, value) === null ? value : null;
  const { minLength, maxLength } = columnRule(field)!;
  let points = [...String(value)];
  while (points.length > 0 && points.length < minLength!) points = [...points, ...points];
  const fitted = points.slice(0, maxLength).join('').trimEnd().padEnd(minLength!, 'x');
  return valueFault(field, fitted) === null ? fitted : null;
}

function byPattern(field: Field, chance: Chance): string | null {
  const maker = new TextMaker(field.pattern!);
  maker.max = Math.min(field.rule.maxLength ?? 12, 12);
  maker.defaultRange.subtract(127, 65_535);
  maker.randInt = (from, to) => chance.int(from, to);
  for (let i = 0; i < TRIES; i++) {
    const made = maker.gen();
    if (valueFault(field, made) === null) return made;
  }
  return null;
}

/** Values that no other row has: the serial is in them. */
function makeUnique(field: Field, making: Making): FieldValue {
  const { serial } = making;
  if (field.kind === 'integer') {
    const value = Math.max(field.rule.minimum ?? 1, 0) + serial;
    return valueFault(field, value) === null ? value : null;
  }
  if (field.kind !== 'string' || field.pattern !== null) return null;
  const stem = field.maker ? String(make(field.maker, making)) : text(field, making.chance);
  const end = field.maker === 'serial' ? '' : ` ${serial.toString(36)}`;
  const most = (field.rule.maxLength ?? MOST_FIELD_CODE_POINTS) - end.length;
  return most < 0
    ? null
    : fit(field, [...stem].slice(0, most).join('') + end.replace(' ', /\s/.test(stem) ? ' ' : '_'));
}
