import { ServiceProblem, type Client, type CommentReacted, type PostReacted } from '@gather-lane/client';
import type { Command } from 'commander';
import { connect, unwrap, wholeId, type CommonOptions } from '../context.js';
import { at, print, printJson, printTable, remark } from '../output.js';
import { countsOf } from '../posts-view.js';

/** Adds `react`, `unreact` and `reactions`. */
export function reactionCommands(program: Command): void {
  program
    .command('react')
    .description('React to a post or a comment: one reaction each, another kind takes its place')
    .argument('<post or comment>', 'its id, or the end of it')
    .argument('<kind>', 'like, dislike, or another kind that is configured')
    .action((id: string, kind: string, _: unknown, command: Command) => act(id, kind, command.optsWithGlobals()));

  program
    .command('unreact')
    .description('Take your reaction back')
    .argument('<post or comment>', 'its id, or the end of it')
    .action((id: string, _: unknown, command: Command) => act(id, null, command.optsWithGlobals()));

  program
    .command('reactions')
    .description('Who reacted to a post or a comment')
    .argument('<post or comment>', 'its id, or the end of it')
    .option('--kind <kind>', 'only those who reacted with this kind')
    .action((id: string, _: unknown, command: Command) => list(id, command.optsWithGlobals()));
}

/** Does something with a post, or with the comment of this id where there is no such post. */
async function onEither<T>(post: () => Promise<T>, comment: () => Promise<T>): Promise<T> {
  try {
    return await post();
  } catch (error) {
    if (!(error instanceof ServiceProblem) || error.code !== 'not-found') throw error;
    return comment();
  }
}

const putOn = (client: Client, id: string, kind: string) =>
  onEither<PostReacted | CommentReacted>(
    async () =>
      unwrap(await client.PUT('/v1/posts/{post}/reaction', { params: { path: { post: id } }, body: { kind } })),
    async () =>
      unwrap(
        await client.PUT('/v1/comments/{comment}/reaction', { params: { path: { comment: id } }, body: { kind } }),
      ),
  );

const takeOff = (client: Client, id: string) =>
  onEither<PostReacted | CommentReacted>(
    async () => unwrap(await client.DELETE('/v1/posts/{post}/reaction', { params: { path: { post: id } } })),
    async () => unwrap(await client.DELETE('/v1/comments/{comment}/reaction', { params: { path: { comment: id } } })),
  );

async function act(text: string, kind: string | null, options: CommonOptions): Promise<void> {
  const { client, address } = connect(options);
  const id = wholeId(text, address);
  const done = kind === null ? await takeOff(client, id) : await putOn(client, id, kind);
  if (options.json) return printJson(done);
  const { changed, tallies } = done;
  const said = kind === null ? 'Taken back' : `Reacted with ${kind}`;
  const same = kind === null ? 'There was no reaction of yours' : `You had reacted with ${kind} already`;
  print(`${changed ? said : `${same}: nothing changed`}. ${countsOf(tallies)}.`);
  if ('laneTime' in done) print(`It stands at ${at(done.laneTime)} UTC.`);
}

async function list(text: string, options: CommonOptions & { kind?: string }): Promise<void> {
  const { client, address } = connect(options);
  const id = wholeId(text, address);
  const query = { limit: 100, ...(options.kind !== undefined && { kind: options.kind }) };
  const { items, next } = await onEither(
    async () => unwrap(await client.GET('/v1/posts/{post}/reactions', { params: { path: { post: id }, query } })),
    async () =>
      unwrap(await client.GET('/v1/comments/{comment}/reactions', { params: { path: { comment: id }, query } })),
  );
  if (options.json) return printJson(items);
  if (items.length === 0) return print('Nobody reacted yet.');
  printTable(
    [{ head: 'WHO' }, { head: 'KIND' }, { head: 'AT' }],
    items.map(({ user, kind, createdAt }) => [`@${user.handle}`, kind, at(createdAt)]),
  );
  if (next) remark('There are more; these are the latest 100.');
}
