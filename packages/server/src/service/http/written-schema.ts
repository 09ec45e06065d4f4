/** A schema, by its keywords. */
export type SchemaParts = Readonly<Record<string, unknown>>;

/** What a schema says beyond the types: for readers of the document. */
const BEYOND_TYPES = ['format', 'pattern', 'minLength', 'maxLength', 'minimum', 'maximum', 'minItems', 'maxItems'];
const PLAIN_TYPES = ['string', 'integer', 'number', 'boolean', 'null'];

/**
 * A schema, or several, as a value is written by it: what there is, and of which type. Where a value is of one of several plain types, or an
 * object or null, the types say which, and no validator is needed to tell. Other options stay whole, for they are told apart by what is in
 * them.
 */
export function toWrite<T>(schema: T): T {
  return written(schema, false) as T;
}

function written(schema: unknown, isOption: boolean): unknown {
  if (Array.isArray(schema)) return schema.map((each) => written(each, isOption));
  if (typeof schema !== 'object' || schema === null) return schema;
  const { anyOf, properties, ...rest } = schema as SchemaParts;
  const kept: Record<string, unknown> = Object.fromEntries(
    Object.entries(rest)
      .filter(([key]) => !BEYOND_TYPES.includes(key))
      .map(([key, child]) => [key, written(child, isOption)]),
  );
  if (properties)
    // Names of properties are no keywords.
    kept.properties = Object.fromEntries(
      Object.entries(properties).map(([name, child]) => [name, written(child, isOption)]),
    );
  if (!Array.isArray(anyOf)) return kept;
  const options = anyOf as readonly SchemaParts[];
  const plain = isOption ? null : plainTypesOf(options);
  if (plain) return { ...kept, type: plain.length === 1 ? plain[0] : plain };
  const [object, none] = options;
  if (!isOption && options.length === 2 && object!.type === 'object' && none!.type === 'null')
    return { ...kept, ...(written(object, false) as SchemaParts), type: ['object', 'null'] };
  return { ...kept, anyOf: written(options, true) };
}

/** The types of options that are all plain; null where one is not. */
function plainTypesOf(options: readonly SchemaParts[]): string[] | null {
  const types = options.flatMap(({ type, anyOf }) => (Array.isArray(anyOf) ? plainTypesOf(anyOf) : [type as string]));
  return types.every((type) => PLAIN_TYPES.includes(type!)) ? [...new Set(types as string[])] : null;
}

/** The names of all shared schemas that a schema refers to, by way of others too. @param shared all that there are, by name */
export function referredBy(schema: unknown, shared: Readonly<Record<string, object>>): string[] {
  const names = new Set<string>();
  const visit = (part: unknown): void => {
    if (typeof part !== 'object' || part === null) return;
    const { $ref } = part as SchemaParts;
    const name = typeof $ref === 'string' ? $ref.split('#')[0]! : '';
    if (name && !names.has(name)) {
      names.add(name);
      visit(shared[name]);
    }
    Object.values(part).forEach(visit);
  };
  visit(schema);
  return [...names];
}
