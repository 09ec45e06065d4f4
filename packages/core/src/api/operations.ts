/** A schema as an OpenAPI 3.1 document holds it: JSON Schema, with references into the document. */
export type ApiSchema = Readonly<Record<string, unknown>>;

/** A parameter of an operation. */
export interface ApiParameter {
  readonly name: string;
  readonly in: 'path' | 'query' | 'header' | 'cookie';
  readonly required?: boolean;
  readonly description?: string;
  readonly schema?: ApiSchema;
}

/** What a body or a reply may be, by media type. */
export type ApiContent = Readonly<Record<string, { readonly schema?: ApiSchema }>>;

/** An operation as an OpenAPI document describes it, as far as it is read here. */
export interface ApiOperation {
  readonly 'operationId'?: string;
  readonly 'summary'?: string;
  readonly 'tags'?: readonly string[];
  readonly 'parameters'?: readonly ApiParameter[];
  readonly 'requestBody'?: { readonly required?: boolean; readonly content?: ApiContent };
  readonly 'responses'?: Readonly<Record<string, { readonly content?: ApiContent }>>;
  /** Who may call it. */
  readonly 'x-doorway'?: string;
  /** Why it cannot be rolled back; left out where it can. */
  readonly 'x-lasting'?: string;
}

/** An OpenAPI 3.1 document, as far as it is read here. */
export interface ApiDocument {
  readonly paths: Readonly<Record<string, Readonly<Record<string, ApiOperation>>>>;
  readonly components?: { readonly schemas?: Readonly<Record<string, ApiSchema>> };
}

/** An operation, and where it is. */
export interface FoundOperation {
  readonly method: string;
  /** As the document writes it: `/v1/posts/{post}`. */
  readonly template: string;
  readonly operation: ApiOperation;
}

const METHODS = ['get', 'post', 'put', 'patch', 'delete', 'head', 'options'];

/** Every operation of a document, in its order. */
export function operationsOf(document: ApiDocument): FoundOperation[] {
  return Object.entries(document.paths).flatMap(([template, methods]) =>
    METHODS.flatMap((method) => {
      const operation = methods[method];
      return operation ? [{ method: method.toUpperCase(), template, operation }] : [];
    }),
  );
}

/**
 * The operation that a call is of, or null.
 * @param path with or without a query; parts that are written `{so}` fit a parameter and nothing else
 */
export function findOperation(document: ApiDocument, method: string, path: string): FoundOperation | null {
  const parts = path.split('?')[0]!.split('/');
  const fits = (template: string) => {
    const wanted = template.split('/');
    return wanted.length === parts.length && wanted.every((part, i) => isParameter(part) || part === parts[i]);
  };
  const found = Object.keys(document.paths).filter((template) => fits(template));
  // A word of its own goes before a parameter: /v1/users/me before /v1/users/{user}.
  found.sort((a, b) => a.split('{').length - b.split('{').length);
  for (const template of found) {
    const operation = document.paths[template]![method.toLowerCase()];
    if (operation) return { method: method.toUpperCase(), template, operation };
  }
  return null;
}

const isParameter = (part: string): boolean => part.startsWith('{') && part.endsWith('}');

/** A schema with its reference followed; itself where it is none. */
export function followed(document: ApiDocument, schema: ApiSchema | undefined): ApiSchema | undefined {
  let at = schema;
  for (let steps = 0; at !== undefined && typeof at.$ref === 'string' && steps < 20; steps++) {
    const name = /^#\/components\/schemas\/(.+)$/.exec(at.$ref)?.[1];
    at = name === undefined ? undefined : document.components?.schemas?.[name];
  }
  return at;
}

/** The schema of a JSON body that an operation takes, with its media type; null where it takes none. */
export function bodySchema(operation: ApiOperation): { readonly type: string; readonly schema: ApiSchema } | null {
  return jsonOf(operation.requestBody?.content);
}

/** The schema of the JSON of a reply; null where there is none. */
export function replySchema(operation: ApiOperation, status: number): ApiSchema | null {
  return jsonOf(operation.responses?.[String(status)]?.content)?.schema ?? null;
}

function jsonOf(content: ApiContent | undefined): { type: string; schema: ApiSchema } | null {
  for (const [type, { schema }] of Object.entries(content ?? {}))
    if (/^application\/(?:[\w.-]+\+)?json\b/.test(type) && schema) return { type, schema };
  return null;
}
