import { InvalidArgumentError, type Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { unwrap, userRef, type CommonOptions } from '../context.js';
import { print } from '../output.js';
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
    .action(
      action(readOrWrite, (fields) => {
        const lines = fieldLines(fields);
        print(lines.length > 0 ? lines.join('\n') : 'No field of your own has a value here.');
      }),
    );
}

async function readOrWrite(context: CommandContext<FieldsOptions>, what: string): Promise<Record<string, unknown>> {
  const { client, operator, options } = context;
  const table = what.startsWith('@') ? 'users' : options.of;
  const id = what.startsWith('@')
    ? unwrap(await client.GET('/v1/users/{user}', { params: { path: { user: userRef(what) } } })).id
    : context.whole(what);
  const params = { path: { id } };
  const read = {
    users: () => operator.GET('/v1/operator/fields/users/{id}', { params }),
    posts: () => operator.GET('/v1/operator/fields/posts/{id}', { params }),
    comments: () => operator.GET('/v1/operator/fields/comments/{id}', { params }),
  };
  const found = unwrap(await read[table]());
  if (!options.field) return found.fields;
  const body = { fields: typedValues(found.kinds, options.field) };
  const write = {
    users: () => operator.PATCH('/v1/operator/fields/users/{id}', { params, body }),
    posts: () => operator.PATCH('/v1/operator/fields/posts/{id}', { params, body }),
    comments: () => operator.PATCH('/v1/operator/fields/comments/{id}', { params, body }),
  };
  return unwrap(await write[table]()).fields;
}
