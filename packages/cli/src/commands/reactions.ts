import { sayInstant } from '@gather-lane/words';
import { ServiceProblem, type Client, type CommentReacted, type PostReacted } from '@gather-lane/client';
import type { Command } from 'commander';
import { action, type CommandContext } from '../action.js';
import { unwrap, type CommonOptions } from '../context.js';
import { print, printTable, remark } from '../output.js';
import { countsOf } from '../posts-view.js';

/** Adds `react`, `unreact` and `reactions`. */
export function reactionCommands(program: Command): void {
  program
    .command('react')
    .description('React to a post or a comment: one reaction each, another kind takes its place')
    .argument('<post or comment>', 'its id, or the end of it')
    .argument('<kind>', 'like, dislike, or another kind that is configured')
    .action(
      action(
        async (context, id: string, kind: string) => ({
          kind,
          done: await putOn(context.client, context.whole(id), kind),
        }),
        ({ kind, done }) => tell(done, `Reacted with ${kind}`, `You had reacted with ${kind} already`),
        ({ done }) => done,
      ),
    );

  program
    .command('unreact')
    .description('Take your reaction back')
    .argument('<post or comment>', 'its id, or the end of it')
    .action(
      action(
        (context, id: string) => takeOff(context.client, context.whole(id)),
        (done) => tell(done, 'Taken back', 'There was no reaction of yours'),
      ),
    );

  program
    .command('reactions')
    .description('Who reacted to a post or a comment')
    .argument('<post or comment>', 'its id, or the end of it')
    .option('--kind <kind>', 'only those who reacted with this kind')
    .action(
      action(
        listOf,
        ({ items, next }) => {
          if (items.length === 0) return print('Nobody reacted yet.');
          printTable(
            [{ head: 'WHO' }, { head: 'KIND' }, { head: 'AT' }],
            items.map(({ user, kind, createdAt }) => [`@${user.handle}`, kind, sayInstant(createdAt)]),
          );
          if (next) remark('There are more; these are the latest 100.');
        },
        ({ items }) => items,
      ),
    );
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

function tell(done: PostReacted | CommentReacted, said: string, same: string): void {
  print(`${done.changed ? said : `${same}: nothing changed`}. ${countsOf(done.tallies)}.`);
  if ('laneTime' in done) print(`It stands at ${sayInstant(done.laneTime)} UTC.`);
}

function listOf(context: CommandContext<CommonOptions & { kind?: string }>, text: string) {
  const { client, options } = context;
  const id = context.whole(text);
  const query = { limit: 100, ...(options.kind !== undefined && { kind: options.kind }) };
  return onEither(
    async () => unwrap(await client.GET('/v1/posts/{post}/reactions', { params: { path: { post: id }, query } })),
    async () =>
      unwrap(await client.GET('/v1/comments/{comment}/reactions', { params: { path: { comment: id }, query } })),
  );
}
