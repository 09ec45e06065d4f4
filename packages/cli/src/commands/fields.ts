import type { Client } from '@gather-lane/client';
import { InvalidArgumentError, type Command } from 'commander';
import { addressOf, connect, connectAsOperator, unwrap, userRef, wholeId, type CommonOptions } from '../context.js';
import { print, printJson } from '../output.js';
import { fieldLines, FIELD_HELP, fieldOption, typedValues } from '../own-fields.js';

interface FieldsOptions extends CommonOptions {
  data?: string;
  field?: string[];
  of: 'posts' | 'comments';
}

const tableOf = (text: string): 'posts' | 'comments' => {
  if (text === 'post') return 'posts';
  if (text === 'comment') return 'comments';
  throw new InvalidArgumentError('It must be post or comment.');
};

/** Adds `fields`. */
export function fieldsCommand(program: Command): void {
  program
    .command('fields')
    .description('As the operator, show or write every field of your own of a user, a post or a comment')
    .argument('<user or post>', '@handle, or the id of a post or comment, or its end')
    .option('--of <thing>', 'post or comment, for an id', tableOf, 'posts')
    .option('--field <name=value>', FIELD_HELP, fieldOption)
    .option('--data <folder>', 'data folder of the service, with its operator key (.gather-lane)')
    .action(async (what: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<FieldsOptions>();
      const { fields } = await readOrWrite(connectAsOperator(options), what, options);
      if (options.json) return printJson(fields);
      const lines = fieldLines(fields);
      print(lines.length > 0 ? lines.join('\n') : 'No field of your own has a value here.');
    });
}

async function readOrWrite(
  operator: Client,
  what: string,
  options: FieldsOptions,
): Promise<{ fields: Record<string, unknown> }> {
  const table = what.startsWith('@') ? 'users' : options.of;
  const id = what.startsWith('@')
    ? unwrap(await connect(options).client.GET('/v1/users/{user}', { params: { path: { user: userRef(what) } } })).id
    : wholeId(what, addressOf(options));
  const params = { path: { id } };
  const read = {
    users: () => operator.GET('/v1/operator/fields/users/{id}', { params }),
    posts: () => operator.GET('/v1/operator/fields/posts/{id}', { params }),
    comments: () => operator.GET('/v1/operator/fields/comments/{id}', { params }),
  };
  const found = unwrap(await read[table]());
  if (!options.field) return found;
  const body = { fields: typedValues(found.kinds, options.field) };
  const write = {
    users: () => operator.PATCH('/v1/operator/fields/users/{id}', { params, body }),
    posts: () => operator.PATCH('/v1/operator/fields/posts/{id}', { params, body }),
    comments: () => operator.PATCH('/v1/operator/fields/comments/{id}', { params, body }),
  };
  return unwrap(await write[table]());
}
