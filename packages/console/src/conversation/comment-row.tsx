import { Box, Button, Link, Stack, Typography } from '@mui/material';
import type { Comment } from '@gather-lane/client';
import { useEffect, useRef, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { ChangedMeanwhile, ownParts, type Readable } from '../common/changed-meanwhile';
import { useNotice } from '../common/notice';
import { SpanText } from '../common/text';
import { useEdit } from '../common/use-edit';
import { FieldValues } from '../fields/field-values';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { Byline } from '../posts/byline';
import { ConfirmRemoval } from '../posts/confirm-removal';
import { ReactionButtons } from '../posts/reaction-buttons';
import { TextForm } from '../posts/text-form';
import { useRefreshLists } from '../posts/use-changes';
import { useSession } from '../session/session';

const PARTS: Readable<Comment> = [['Text', ({ body }) => body]];

/** What stands in the place of a comment that is not read. */
const MARKERS = {
  deleted: 'A comment stood here; it was deleted.',
  withheld: 'A comment stood here; a moderator took it out of sight.',
  erased: 'A comment stood here; the account of its author was deleted.',
  hidden: 'A comment stands here by somebody who keeps away from you, or you from them.',
} as const;

interface Props {
  readonly comment: Comment;
  /** Whether the address names it: it is scrolled to. */
  readonly named: boolean;
  readonly onAnswer: (() => void) | undefined;
}

/** One comment, wherever it stands. */
export function CommentRow({ comment, named, onAnswer }: Props) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (named) place.current?.scrollIntoView({ block: 'center' });
  }, [named]);
  return (
    <div ref={place}>
      {comment.author ? (
        <Readable comment={comment} author={comment.author} onAnswer={onAnswer} />
      ) : (
        <Typography variant="body2" color="text.secondary">
          {MARKERS[comment.marker ?? 'deleted']}
        </Typography>
      )}
    </div>
  );
}

function Readable({
  comment,
  author,
  onAnswer,
}: {
  comment: Comment;
  author: NonNullable<Comment['author']>;
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
  return (
    <Box component="article" aria-label={`Comment by ${author.name}`}>
      <Byline
        author={author}
        createdAt={comment.createdAt}
        edited={comment.editedAt !== null}
        to={`/posts/${comment.postId}/comments/${comment.id}`}
      >
        {comment.answers && <Answered comment={comment} />}
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
            conversation={comment.postId}
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
          <SpanText text={comment.body} spans={comment.spans} />
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
          moderating={session?.id !== author.id}
          withhold={removing === 'withhold'}
          onDone={remove}
          onClose={() => setRemoving(null)}
        />
      )}
    </Box>
  );
}

/** Whom it answers, where that is not the one that it stands under. */
function Answered({ comment: { postId, answers } }: { comment: Comment }) {
  if (!answers) return null;
  const { comment, handle } = answers;
  return (
    <Typography variant="body2" color="text.secondary">
      answers{' '}
      {comment && handle ? (
        <Link component={RouterLink} to={`/posts/${postId}/comments/${comment}`} color="inherit">
          @{handle}
        </Link>
      ) : (
        'a comment that is not shown'
      )}
    </Typography>
  );
}
