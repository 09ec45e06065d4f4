import { Box, Button, Stack, Typography } from '@mui/material';
import type { Comment } from '@gather-lane/client';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { ChangedMeanwhile, ownParts, type Readable } from '../common/changed-meanwhile';
import { useNotice } from '../common/notice';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { usePages } from '../common/use-pages';
import { PersonText } from '../common/text';
import { useEdit } from '../common/use-edit';
import { FieldValues } from '../fields/field-values';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { repeatable } from '../pictures/upload';
import { useSession } from '../session/session';
import { Byline } from './byline';
import { ConfirmRemoval } from './confirm-removal';
import { ReactionButtons } from './reaction-buttons';
import { TextForm } from './text-form';
import { useRefreshLists } from './use-changes';

const PAGE = 30;
const PARTS: Readable<Comment> = [['Text', ({ body }) => body]];

/** The comments below a post, oldest first. */
export function Conversation({ post }: { post: string }) {
  const { session, about, askSignIn } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const [answering, setAnswering] = useState<Comment | null>(null);
  const { list: comments, items } = usePages(['comments', post], async (from) => {
    const query = { sort: 'oldest' as const, limit: PAGE, ...from };
    return unwrap(await api.GET('/v1/posts/{post}/comments', { params: { path: { post }, query } }));
  });
  const byId = new Map(items.map((comment) => [comment.id, comment]));

  const fields = useWritableFields('comments', 'creation');
  const send = async (body: string, values: Values) => {
    unwrap(
      await api.POST('/v1/posts/{post}/comments', {
        params: { path: { post } },
        body: { body, parentId: answering?.id ?? null, ...(fields.length > 0 && { fields: values }) },
        headers: repeatable(),
      }),
    );
    setAnswering(null);
    tell('Commented.');
    await refresh();
  };

  return (
    <Stack sx={{ gap: 1.5 }} component="section" aria-label="Comments">
      {comments.isPending && <LoadingPosts count={2} />}
      {comments.isError && <Failed error={comments.error} retry={() => void comments.refetch()} />}
      {comments.isSuccess && items.length === 0 && (
        <Empty title="No comments yet">
          {session ? 'Say the first word below.' : 'Sign in to say the first word.'}
        </Empty>
      )}
      {items.map((comment) => (
        <CommentRow
          key={comment.id}
          comment={comment}
          parent={comment.parentId ? (byId.get(comment.parentId) ?? null) : null}
          onAnswer={session ? () => setAnswering(comment) : undefined}
        />
      ))}
      {comments.hasNextPage && (
        <Button variant="outlined" loading={comments.isFetchingNextPage} onClick={() => void comments.fetchNextPage()}>
          More comments
        </Button>
      )}
      {session ? (
        <TextForm
          key={answering?.id ?? 'post'}
          label={answering?.author ? `Answer @${answering.author.handle}` : 'Comment'}
          action={answering ? 'Answer' : 'Comment'}
          limit={about?.limits.comment ?? 400}
          fields={fields}
          onSubmit={send}
          {...(answering && { onCancel: () => setAnswering(null) })}
        />
      ) : (
        <Button onClick={() => askSignIn()} sx={{ alignSelf: 'start' }}>
          Sign in to comment
        </Button>
      )}
    </Stack>
  );
}

function CommentRow({
  comment,
  parent,
  onAnswer,
}: {
  comment: Comment;
  parent: Comment | null;
  onAnswer: (() => void) | undefined;
}) {
  const { about, session } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const [removing, setRemoving] = useState<'delete' | 'withhold' | null>(null);
  const path = { comment: comment.id };
  const { edit, begin, end, save } = useEdit<Comment>(async () =>
    unwrap(await api.GET('/v1/comments/{comment}', { params: { path } })),
  );
  const fields = useWritableFields('comments', 'edit');
  const saveEdit = async (body: string, values: Values) => {
    await save(async (headers, base) => {
      unwrap(
        await api.PATCH('/v1/comments/{comment}', {
          params: { path },
          body: { ...(body !== base.body && { body }), ...(fields.length > 0 && { fields: values }) },
          headers,
        }),
      );
      // The form closes on what is there now.
      await refresh();
    });
    tell('Saved.');
  };
  const remove = async (reason: string) => {
    if (removing === 'withhold')
      unwrap(await api.POST('/v1/comments/{comment}/withhold', { params: { path }, body: { reason } }));
    else unwrap(await api.DELETE('/v1/comments/{comment}', { params: { path, query: reason ? { reason } : {} } }));
    setRemoving(null);
    tell(removing === 'withhold' ? 'Withheld.' : 'Deleted.');
    await refresh();
  };
  // Only its place is left, for the answers below it.
  if (!comment.author)
    return (
      <Typography variant="body2" color="text.secondary" sx={{ borderLeft: 2, borderColor: 'divider', pl: 1.5 }}>
        A comment stood here; the account of its author was deleted.
      </Typography>
    );
  return (
    <Box
      component="article"
      aria-label={`Comment by ${comment.author.name}`}
      sx={{ borderLeft: 2, borderColor: 'divider', pl: 1.5, ml: comment.parentId ? { xs: 1.5, sm: 3 } : 0 }}
    >
      <Byline author={comment.author} createdAt={comment.createdAt} edited={comment.editedAt !== null}>
        {comment.parentId && (
          <Typography variant="body2" color="text.secondary">
            answers {parent?.author ? `@${parent.author.handle}` : 'a comment that is not shown'}
          </Typography>
        )}
      </Byline>
      {edit ? (
        <Box sx={{ my: 1 }}>
          <TextForm
            label="Edit the comment"
            action="Save"
            limit={about?.limits.comment ?? 400}
            initial={edit.base.body}
            fields={fields}
            values={edit.base.fields}
            minRows={1}
            {...(edit.newest && {
              conflict: <ChangedMeanwhile edit={edit} parts={[...PARTS, ...ownParts<Comment>(fields)]} />,
            })}
            onSubmit={saveEdit}
            onCancel={() => {
              end();
              if (edit.newest) void refresh();
            }}
          />
        </Box>
      ) : (
        <Typography sx={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
          <PersonText text={comment.body} />
        </Typography>
      )}
      {!edit && <FieldValues table="comments" values={comment.fields} />}
      <Stack direction="row" sx={{ ml: -0.75, flexWrap: 'wrap' }}>
        <ReactionButtons thing={comment} on="comment" />
        {onAnswer && (
          <Button onClick={onAnswer} color="inherit" sx={{ color: 'text.secondary' }}>
            Answer
          </Button>
        )}
        {comment.can.edit && !edit && <Button onClick={() => begin(comment)}>Edit</Button>}
        {comment.can.withhold && <Button onClick={() => setRemoving('withhold')}>Withhold</Button>}
        {comment.can.delete && (
          <Button color="error" onClick={() => setRemoving('delete')}>
            Delete
          </Button>
        )}
      </Stack>
      {removing && (
        <ConfirmRemoval
          what="comment"
          moderating={session?.id !== comment.author.id}
          withhold={removing === 'withhold'}
          onDone={remove}
          onClose={() => setRemoving(null)}
        />
      )}
    </Box>
  );
}
