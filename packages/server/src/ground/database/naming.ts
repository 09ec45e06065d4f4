import { DefaultNamingStrategy } from 'typeorm';

const snake = (text: string): string => text.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`).replace(/^_/, '');

/** snake_case columns for camelCase properties; table names are written out on the entities. */
export class SnakeNaming extends DefaultNamingStrategy {
  override columnName(property: string, custom: string | undefined, prefixes: string[]): string {
    return [...prefixes.map(snake), custom ?? snake(property)].join('_');
  }

  override joinColumnName(relation: string, referenced: string): string {
    return `${snake(relation)}_${snake(referenced)}`;
  }
}
