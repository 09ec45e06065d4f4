import { existsSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseEnv } from 'node:util';
import { didYouMean, nearestName, readModel, valueFault, writableFields, type OwnFields } from '@gather-lane/core';
import { Ajv2020, type ErrorObject } from 'ajv/dist/2020.js';
import { LineCounter, parseDocument, type Document } from 'yaml';
import { ConfigSchema, configKeys, type Config, type ConfigKey } from './schema.js';

/** A configuration that cannot be used; the message says where and how to mend it. */
export class ConfigError extends Error {
  override readonly name = 'ConfigError';
}

/** Where a configuration is looked for. */
export interface ConfigSources {
  /** Folder of `gather-lane.yaml` and `.env`. */
  readonly folder: string;
  /** Another configuration file, which must then exist. */
  readonly file?: string;
  readonly environment: Record<string, string | undefined>;
  /** Dotted paths, as flags set them; they win over everything else. */
  readonly flags?: Record<string, unknown>;
}

/** The configuration, and what of the environment (with `.env`) the database client may use. */
export interface Loaded {
  readonly config: Config;
  readonly file: string | null;
  readonly environment: Record<string, string | undefined>;
}

/**
 * Reads the configuration: defaults, then the file, then the environment, then flags.
 * @throws ConfigError naming the key, its place and the nearest right one
 */
export function loadConfig(sources: ConfigSources): Loaded {
  const path = resolve(sources.folder, sources.file ?? 'gather-lane.yaml');
  if (sources.file && !existsSync(path))
    throw new ConfigError(`${path} is not there: name a file that exists, or leave out --config.`);
  const lines = new LineCounter();
  const document = existsSync(path) ? parseDocument(readFileSync(path, 'utf8'), { lineCounter: lines }) : null;
  if (document?.errors[0]) throw new ConfigError(`${path}: ${document.errors[0].message}`);
  const values = (document?.toJS() ?? {}) as Record<string, unknown>;
  check(values, (pointer) => placeOf(path, document, lines, pointer));

  const environment = { ...dotEnv(sources.folder), ...sources.environment };
  for (const key of configKeys()) {
    const text = environment[key.variable];
    if (text !== undefined && text !== '') put(values, key.path, fromText(key, text));
  }
  checkVariables(environment);
  for (const [dotted, value] of Object.entries(sources.flags ?? {}))
    if (value !== undefined) put(values, dotted.split('.'), value);
  check(values, (pointer) => {
    const path = pointer.slice(1).replaceAll('/', '.');
    const variable = configKeys().find((key) => key.path.join('.') === path)?.variable;
    return variable !== undefined && environment[variable] ? variable : `the configuration, ${path}`;
  });
  const kinds = ((values.reactions ?? []) as { name: string }[]).map(({ name }) => name);
  const twice = kinds.find((name, i) => kinds.indexOf(name) !== i);
  if (twice !== undefined)
    throw new ConfigError(`${placeOf(path, document, lines, '/reactions')}: "reactions" names "${twice}" twice.`);
  const model = modelOf(values, (pointer) => placeOf(path, document, lines, pointer));
  checkClaims(values, model, (pointer) => placeOf(path, document, lines, pointer));
  return { config: { ...withDefaults(values), model }, file: document ? path : null, environment };
}

function dotEnv(folder: string): Record<string, string | undefined> {
  const path = join(folder, '.env');
  if (!existsSync(path)) return {};
  const all = Object.entries(parseEnv(readFileSync(path, 'utf8')));
  return Object.fromEntries(all.filter(([name]) => /^(GATHER_LANE_|PG[A-Z]+$)/.test(name)));
}

/** The service's own switches in the environment that are not configuration keys. */
const OTHER_VARIABLES = ['GATHER_LANE_ADDRESS', 'GATHER_LANE_OPERATOR_KEY', 'GATHER_LANE_SESSION_FILE'];

function checkVariables(environment: Record<string, string | undefined>): void {
  const known = [...configKeys().map((key) => key.variable), ...OTHER_VARIABLES];
  for (const name of Object.keys(environment))
    if (name.startsWith('GATHER_LANE_') && !known.includes(name))
      throw new ConfigError(
        `${name} in the environment is no configuration key${didYouMean(name, known)}: correct it, or take it out.`,
      );
}

function fromText({ schema, variable }: ConfigKey, text: string): unknown {
  if (schema.type === 'integer' || schema.type === 'number') {
    const value = Number(text);
    if (Number.isNaN(value)) throw new ConfigError(`${variable} must be a number, but is "${text}".`);
    return value;
  }
  if (schema.type === 'boolean') {
    if (!/^(true|false)$/.test(text)) throw new ConfigError(`${variable} must be true or false, but is "${text}".`);
    return text === 'true';
  }
  if (schema.type === 'array' && schema.items?.type === 'object') {
    try {
      return JSON.parse(text);
    } catch {
      throw new ConfigError(`${variable} must be a list as JSON, but is "${text}".`);
    }
  }
  return schema.type === 'array' ? text.split(',').map((item) => item.trim()) : text;
}

function put(values: Record<string, unknown>, path: string[], value: unknown): void {
  const [head, ...rest] = path as [string, ...string[]];
  if (rest.length === 0) values[head] = value;
  else put((values[head] ??= {}) as Record<string, unknown>, rest, value);
}

function modelOf(values: Record<string, unknown>, place: (pointer: string) => string): OwnFields {
  const { model, faults } = readModel(values.model ?? {});
  const messages = faults.map(
    ({ path, text }) => `${place(`/model/${path.join('/')}`)}: "model.${path.join('.')}" ${text}.`,
  );
  if (messages.length > 0) throw new ConfigError(messages.join('\n'));
  return model;
}

interface Mapped {
  readonly claims?: { readonly fields?: Record<string, { readonly claim: string; readonly default?: unknown }> };
}

/** Claims are mapped to fields that users have and may write. */
function checkClaims(values: Record<string, unknown>, model: OwnFields, place: (pointer: string) => string): void {
  const fields = writableFields(model, 'users', 'creation');
  const signIn = (values.signIn ?? {}) as Record<'issuers' | 'providers', Mapped[] | undefined>;
  for (const kind of ['issuers', 'providers'] as const)
    for (const [i, { claims }] of (signIn[kind] ?? []).entries())
      for (const [name, mapping] of Object.entries(claims?.fields ?? {})) {
        const where = `${place(`/signIn/${kind}/${i}/claims`)}: "signIn.${kind}.${i}.claims.fields.${name}"`;
        const field = fields.find((each) => each.name === name);
        if (!field)
          throw new ConfigError(
            `${where} is no field of your own that a user may write${didYouMean(
              name,
              fields.map((each) => each.name),
            )}: see model.users.fields.`,
          );
        const fault = mapping.default === undefined ? null : valueFault(field, mapping.default);
        if (fault) throw new ConfigError(`${where}: its default ${JSON.stringify(mapping.default)} ${fault}.`);
      }
}

function withDefaults(values: Record<string, unknown>): Config {
  for (const { path, schema } of configKeys()) {
    const given = path.reduce<unknown>((at, key) => (at as Record<string, unknown> | undefined)?.[key], values);
    if (given === undefined && schema.default !== undefined) put(values, path, schema.default);
  }
  return values as Config;
}

// Nothing is required in the file: what is missing has a default.
const optional = JSON.parse(JSON.stringify(ConfigSchema), (key, value) =>
  key === 'required' && Array.isArray(value) ? undefined : (value as unknown),
) as object;
// Every command reads the configuration: the schema is ours, and checking it against the schema of schemas takes 0.2 s.
const validate = new Ajv2020({
  allErrors: true,
  strict: false,
  verbose: true,
  meta: false,
  validateSchema: false,
}).compile(optional);

function check(values: unknown, place: (pointer: string) => string): void {
  if (validate(values)) return;
  const messages = (validate.errors ?? []).filter((e) => e.keyword !== 'const').map((e) => sayError(e, place));
  throw new ConfigError(messages.join('\n'));
}

function sayError(error: ErrorObject, place: (pointer: string) => string): string {
  if (error.keyword === 'additionalProperties') {
    const wrong = (error.params as { additionalProperty: string }).additionalProperty;
    const parent = error.instancePath.slice(1).replaceAll('/', '.');
    const siblings = (error.parentSchema as { properties?: object } | undefined)?.properties ?? {};
    const near = nearestName(wrong, Object.keys(siblings));
    const hint =
      near === null
        ? `There is ${Object.keys(siblings).join(', ')}.`
        : `Did you mean "${[parent, near].filter(Boolean).join('.')}"?`;
    return `${place(`${error.instancePath}/${wrong}`)}: there is no key "${[parent, wrong].filter(Boolean).join('.')}". ${hint}`;
  }
  const key = error.instancePath.slice(1).replaceAll('/', '.');
  const choices = (error.parentSchema as { anyOf?: { const?: unknown }[] } | undefined)?.anyOf?.map(
    (choice) => choice.const,
  );
  const said = error.keyword === 'anyOf' && choices ? `must be one of ${choices.join(', ')}` : error.message;
  return `${place(error.instancePath)}: "${key}" ${said}.`;
}

function placeOf(path: string, document: Document | null, lines: LineCounter, pointer: string): string {
  const keys = pointer.split('/').slice(1);
  const parent = document?.getIn(keys.slice(0, -1), true) ?? document?.contents;
  const pairs = (parent as { items?: { key?: { value?: unknown; range?: number[] } }[] } | undefined)?.items;
  const offset = pairs?.find((pair) => pair.key?.value === keys.at(-1))?.key?.range?.[0];
  return offset === undefined ? path : `${path}, line ${lines.linePos(offset).line}`;
}
