import type { ApiSchema } from '@gather-lane/core/calls';

/** The values that a schema lists, or null. */
export function choicesOf(schema: ApiSchema): string[] | null {
  if (Array.isArray(schema.enum)) return schema.enum.map(String);
  if (schema.type === 'boolean') return ['true', 'false'];
  const each = (schema.anyOf as ApiSchema[] | undefined)?.map((choice) => choicesOf(choice));
  return each && each.every((list) => list !== null) ? each.flat() : null;
}
