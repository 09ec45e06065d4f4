import {
  mustBeGiven,
  normalAddress,
  toLine,
  valueFault,
  writableFields,
  type FieldValue,
  type FieldValues,
  type OwnFields,
} from '@gather-lane/core';
import { Problem } from '../../ground/http/problem.js';

/** From which claim a field of the developer's own is made. */
export interface FieldClaim {
  readonly claim: string;
  /** The value where the claim is missing or does not fit. */
  readonly default?: unknown;
}

/** Which claims of a token a user is made from; the names of OpenID Connect Core 5.1 unless configured. */
export interface ClaimNames {
  readonly name?: string;
  readonly handle?: string;
  readonly picture?: string;
  readonly fields?: Readonly<Record<string, FieldClaim>>;
}

/** What a user is made from. */
export interface OutsideProfile {
  readonly name: string | null;
  readonly handle: string | null;
  readonly picture: string | null;
  readonly fields: FieldValues;
}

/** Who says what an account is made from, for messages: where its mapping stands in the configuration. */
export interface ClaimSource {
  readonly names: ClaimNames;
  /** `signIn.issuers[].claims` or `signIn.providers[].claims`. */
  readonly key: string;
}

/**
 * Reads a profile out of verified claims. An e-mail is not looked at: it never says whose an account is.
 * @throws Problem `claim-missing` for a required field of the developer's own that no claim gives a value
 */
export function profileOf(
  claims: Readonly<Record<string, unknown>>,
  { names, key }: ClaimSource,
  model: OwnFields,
): OutsideProfile {
  const text = (name: string): string | null => {
    const value = claims[name];
    return typeof value === 'string' ? toLine(value) || null : null;
  };
  const picture = claims[names.picture ?? 'picture'];
  return {
    name: text(names.name ?? 'name'),
    handle: text(names.handle ?? 'preferred_username'),
    picture: typeof picture === 'string' ? normalAddress(picture) : null,
    fields: fieldsOf(claims, names.fields ?? {}, key, model),
  };
}

function fieldsOf(
  claims: Readonly<Record<string, unknown>>,
  mappings: Readonly<Record<string, FieldClaim>>,
  key: string,
  model: OwnFields,
): FieldValues {
  const values: Record<string, FieldValue> = {};
  for (const field of writableFields(model, 'users', 'creation')) {
    const mapping = mappings[field.name];
    const given = mapping === undefined ? undefined : claims[mapping.claim];
    const fits = given !== undefined && given !== null && valueFault(field, given) === null;
    const value = fits ? given : mapping?.default;
    if (value !== undefined) values[field.name] = value as FieldValue;
    else if (mustBeGiven(field))
      throw new Problem(
        'claim-missing',
        mapping
          ? `An account needs ${field.table}.${field.name}, and the claim "${mapping.claim}" ${given === undefined ? 'is not there' : `does not fit: it ${valueFault(field, given)}`}. Give ${key}.fields.${field.name} a default, or have the claim sent.`
          : `An account needs ${field.table}.${field.name}, and no claim is mapped to it: add ${key}.fields.${field.name} to the configuration.`,
        [{ pointer: `/fields/${field.name}`, detail: 'is required' }],
      );
  }
  return values;
}

/** The fields that an account needs and that no claim of a source is mapped to: nobody new can come in by it. */
export const unmappedFields = (model: OwnFields, { fields = {} }: ClaimNames): string[] =>
  writableFields(model, 'users', 'creation')
    .filter((field) => mustBeGiven(field) && fields[field.name] === undefined)
    .map(({ name }) => name);

interface SignInConfig {
  readonly providers: readonly { readonly name: string; readonly claims?: ClaimNames }[];
  readonly issuers: readonly { readonly issuer: string; readonly claims?: ClaimNames }[];
}

/** What a model would do to who signs in elsewhere, in sentences: a required field without a claim keeps newcomers out. */
export function signInWarnings(model: OwnFields, { providers, issuers }: SignInConfig): string[] {
  const sources = [
    ...providers.map(({ name, claims = {} }) => ({
      who: `the provider ${name}`,
      key: 'signIn.providers[].claims',
      claims,
    })),
    ...issuers.map(({ issuer, claims = {} }) => ({
      who: `tokens of ${issuer}`,
      key: 'signIn.issuers[].claims',
      claims,
    })),
  ];
  return sources.flatMap(({ who, key, claims }) =>
    unmappedFields(model, claims).map(
      (name) =>
        `users.${name} is required, and no claim is mapped to it: nobody new can come in by ${who}. Map one in ${key}.fields.${name}, or give the field a default.`,
    ),
  );
}
